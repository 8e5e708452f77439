"""The Findings place: everything the audit says, by family, with what puts it right or waives it."""

from __future__ import annotations

from collections import Counter

from django.http import HttpRequest

from lattice.checks.finding import SEVERITIES
from web.editor.places.base import RECORD, Context, Place, wanted
from web.editor.presenting import groups_by_family, waived_by_waiver
from web.editor.what_if import awake_beside


def _context(request: HttpRequest, context: Context) -> Context:
    severity = wanted(request, "severity")
    counts = Counter(matter.severity for matter, _ones in context["groups"])
    severities = [("", "all", len(context["groups"]))]
    severities += [(one, f"{one}s", counts[one]) for one in SEVERITIES]
    shown = {
        "families": groups_by_family(
            [group for group in context["groups"] if not severity or group[0].severity == severity]
        ),
        "severity": severity,
        "severities": severities,
        "waived": waived_by_waiver(context["space"]),
    }
    return shown | ({"awake": awake_beside(context["space"])} if wanted(request, "awake") else {})


PLACE = Place("findings", "Findings", RECORD, 0, _context)
