"""The Findings place: everything the audit says, by family, with what puts it right or waives it."""

from __future__ import annotations

from django.http import HttpRequest

from lattice.checks.finding import SEVERITIES
from web.editor.places.base import RECORD, Context, Place, wanted
from web.editor.presenting import by_family, waived_by_waiver
from web.editor.what_if import awake_beside


def _context(request: HttpRequest, context: Context) -> Context:
    severity = wanted(request, "severity")
    counts = context["space"].audit.summary
    severities = [("", "all", len(context["findings"]))]
    severities += [(one, f"{one}s", counts[one]) for one in SEVERITIES]
    shown = {
        "families": by_family(context["findings"], severity),
        "severity": severity,
        "severities": severities,
        "waived": waived_by_waiver(context["space"]),
    }
    return shown | ({"awake": awake_beside(context["space"])} if wanted(request, "awake") else {})


PLACE = Place("findings", "Findings", RECORD, 0, _context)
