"""The Findings page: issues, worst first, searched and filtered by the address, with their fixes."""

from __future__ import annotations

from collections import Counter

from django.http import HttpRequest
from django.template.loader import render_to_string

from lattice.checks.finding import SEVERITIES, STANDINGS
from web.editor.filters import Narrowed, bars
from web.editor.hygiene import hygiene_place
from web.editor.lists import KeyedList, Table
from web.editor.matter_lists import matters_list
from web.editor.matters import OTHERS, Row, waived_by_waiver
from web.editor.places.base import RECORD, Context, Place, wanted
from web.editor.what_if import beside


def _top(request: HttpRequest, context: Context) -> Context:
    """The head of the list: the filters, and the number of each severity."""
    rows: list[Row] = context["rows"]
    narrowed = Narrowed.of(request)
    sections = {section.id: section.name for section in context["template"].sections}
    counts = Counter(row.matter.severity for row in rows)
    counts_of = Counter(row.matter.standing for row in rows)
    strips = {strip.id: strip.name for strip in context["template"].strips}
    return {
        "narrowed": narrowed,
        "severities": [
            (words, count, narrowed.query(severity=value), narrowed.severity == value)
            for value, words, count in (("", "all", len(rows)), *((one, f"{one}s", counts[one]) for one in SEVERITIES))
        ],
        "standings": [
            (one, counts_of[one], narrowed.query(standing="" if is_pressed else one), is_pressed)
            for one in STANDINGS
            for is_pressed in (narrowed.standing == one,)
            if counts_of[one]
        ],
        "families": bars(rows, narrowed, "family", lambda row: row.family, str),
        "sections": bars(
            rows, narrowed, "section", lambda row: row.section or "-", lambda one: sections.get(one, "no section")
        ),
        "about_name": strips.get(narrowed.about, narrowed.about),
        "without_about": narrowed.query(about=""),
        "is_narrowed": bool(narrowed.query()),
        "is_any": any(narrowed.admits(row) for row in rows),
    }


def _shown(request: HttpRequest, context: Context) -> Context:
    """Everything on the page."""
    shown = _top(request, context)
    shown["matters"] = matters_list(request, context, wanted(request, "finding"))
    if shown["narrowed"].family == OTHERS:
        shown |= hygiene_place(context["space"], context["drawn"].sheet.zone_of)
    shown["waived"] = waived_by_waiver(context["space"])
    asked = wanted(request, "awake")
    if asked not in ("1", "0"):
        return shown
    return {**shown, "awake": beside(context["space"], is_awake=asked == "1"), "asked_awake": asked}


def _context(request: HttpRequest, context: Context) -> Context:
    return _shown(request, context)


def _lists(request: HttpRequest, context: Context) -> tuple[list[KeyedList], dict[str, Table]]:
    """The list piece by piece; its head and foot each as one."""
    shown = {**context, **_shown(request, context)}
    parts = [
        KeyedList(f"findings-{part}", [(f"of-findings-{part}", render_to_string(page, shown, request))])
        for part, page in (("top", "editor/findings_top.html"), ("foot", "editor/findings_foot.html"))
    ]
    return [*parts, shown["matters"]], {}


PLACE = Place("findings", "Findings", RECORD, 0, _context, answer="editor/findings_changed.html", lists=_lists)
