"""Adding strips: the form of the side panel, and the parsed lines of it."""

from __future__ import annotations

from collections import Counter
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from lattice.edits import edit_named
from lattice.edits.spread import may_be_wired, rows_read
from lattice.errors import DocumentError
from lattice.formats.tables.name_guesses import by_words
from lattice.formats.tables.tolerant_reader import ReadRows
from lattice.model.document import Strip, Template
from lattice.model.palette import PALETTE, next_colour
from lattice.model.strip_kinds import DESTINATIONS, TRAITS
from web.editor.panels import CHOICES
from web.shelf.access import template_or_404
from web.shelf.workspace import workspace

SHOWN_ROWS = 40
KINDS = tuple(TRAITS)
SHOWN_PROBLEMS = 6


@require_safe
def add_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The form for strips, sections and instruments."""
    stored = template_or_404(request, pk)
    template = workspace(stored).template
    section = next((one for one in template.sections if one.id == request.GET.get("section")), None)
    context = {
        "stored": stored,
        "template": template,
        "in_section": section,
        "played": [strip for strip in template.strips if strip.kind in ("instrument", "midi")],
        "destinations": [strip.name for strip in template.strips if strip.kind in DESTINATIONS],
        "palette": PALETTE,
        "colour": next_colour(template.sections),
    }
    return render(request, "editor/panel_add.html", context | CHOICES)


@require_POST
def rows_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The parsed lines of the form; nothing is written."""
    stored = template_or_404(request, pk)
    template = workspace(stored).template
    context: dict[str, Any] = {}
    try:
        arguments = edit_named("spread").read(dict(request.POST.lists()), template)
        if any(line.strip() for line in arguments["names"]):
            read = rows_read(template, **arguments)
            context = _shown(template, read) | {
                "leaves_out": arguments.get("leave_out", False),
                "wires": "wire" in request.POST or "was_wired" not in request.POST,
            }
    except DocumentError as wrong:
        context = {"refused": wrong.problems}
    return render(request, "editor/rows_read.html", context)


def _choices(read: ReadRows, strip: Strip) -> dict[str, Any]:
    """(value in the form, kind) of a row that states none, and the present value; the guess has no value."""
    guess = read.guessed.get(strip.id)
    usual = (guess.usual if guess else "") or ("audio" if not guess or guess.kind == "" else guess.usual)
    values = {kind: "" if kind == usual else f"{read.rows[strip.id]}={kind}" for kind in KINDS}
    return {"choices": [(value, kind) for kind, value in values.items()], "chosen": values[strip.kind]}


def _alike(read: ReadRows) -> list[dict[str, Any]]:
    """The words that kinds were read from, the most frequent first, each with the kinds that all of them may be."""
    return [
        {
            "term": guess.term,
            "count": count,
            "tag": guess.tag,
            "choices": [(f"{guess.key}={kind}", kind) for kind in KINDS],
            "chosen": f"{guess.key}={guess.usual}",
        }
        for guess, count in by_words(read.guessed.values())
    ]


def _shown(template: Template, read: ReadRows) -> dict[str, Any]:
    """Counts of the new strips, the first rows as parsed, and the errors."""
    after = read.template
    strips = {strip.id: strip for strip in after.strips}
    new = [strips[added] for added in read.added]
    known = {section.id for section in template.sections}
    names = {section.id: section.name for section in after.sections}
    ends: dict[str, list[str]] = {}
    for route in after.routes[len(template.routes) :]:
        ends.setdefault(route.from_strip, []).append(strips[route.to].name)
    rows = [
        {
            "strip": strip,
            "number": read.rows[strip.id],
            "section": names.get(strip.section or "", ""),
            "ends": ends.get(strip.id, []),
            **(_choices(read, strip) if strip.id in read.open else {}),
            "because": read.guessed[strip.id].because if strip.id in read.guessed else "",
        }
        for strip in new[:SHOWN_ROWS]
    ]
    return {
        "alike": _alike(read),
        "may_be_wired": may_be_wired(read),
        "kinds": Counter(strip.kind for strip in new).most_common(),
        "count": len(new),
        "sections": [section.name for section in after.sections if section.id not in known],
        "routes": len(after.routes) - len(template.routes),
        "made": read.made,
        "unused": read.unused,
        "rows": rows,
        "more": len(new) - len(rows),
        "problems": read.problems[:SHOWN_PROBLEMS],
        "problem_count": len(read.problems),
    }
