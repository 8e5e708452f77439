"""The Findings place: everything the audit says, by family, with what puts it right or waives it."""

from __future__ import annotations

from django.http import HttpRequest

from lattice.checks.finding import SEVERITIES
from web.editor.places.base import RECORD, Context, Place, wanted
from web.editor.presenting import by_family
from web.editor.what_if import awake_beside


def _context(request: HttpRequest, context: Context) -> Context:
    severity = wanted(request, "severity")
    reasons = {waiver.fingerprint: waiver for waiver in context["template"].waivers}
    waived = [(f, reasons[f.fingerprint]) for f in context["space"].audit.findings if f.waived]
    counts = context["space"].audit.summary
    severities = [("", "all", len(context["findings"]))]
    severities += [(one, f"{one}s", counts[one]) for one in SEVERITIES]
    shown = {
        "families": by_family(context["findings"], severity),
        "severity": severity,
        "severities": severities,
        "waived": waived,
    }
    return shown | ({"awake": awake_beside(context["space"])} if wanted(request, "awake") else {})


PLACE = Place("findings", "Findings", RECORD, 0, _context)
