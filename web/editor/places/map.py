"""The Map page: the drawing, the side panel beside it, and the selection."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.utils.safestring import mark_safe

from lattice.drawing.svg import FIGURES
from lattice.model.views import views_of
from web.editor.lists import KeyedList, Table
from web.editor.map_look import view_choices
from web.editor.matter_lists import margin_lists
from web.editor.panels import CHOICES, chosen
from web.editor.places.base import FLOW, Context, Place
from web.editor.presenting import drawing_of, figure_of, strips_table, wires_table


def _context(request: HttpRequest, context: Context) -> Context:
    """The page: its whole drawing, its side panel with the first issues."""
    shown: dict[str, Any] = {"figures": FIGURES, "figure": figure_of(request), **CHOICES}
    shown |= chosen(request, context["space"]) | view_choices(context["stored"], views_of(context["template"]))
    drawing = drawing_of(request, context)
    lists = _drawn_lists(context, drawing)
    marked = {one.into: f' data-shown="{one.remembered()}"' for one in lists}
    shown["svg"] = mark_safe(drawing.whole(marked))  # noqa: S308 - escaped where it is made
    if shown["panel"] == "findings":
        shown |= margin_lists(request, context, shown["chosen_finding"])
    return shown


def _lists(request: HttpRequest, context: Context) -> tuple[list[KeyedList], dict[str, Table]]:
    """The parts of an answer to a write."""
    context |= view_choices(context["stored"], views_of(context["template"]))
    lists = _drawn_lists(context, drawing_of(request, context))
    if context["shows_matters"]:
        lists += margin_lists(request, context, context["chosen_finding"]).values()
    elif context["brings_margin"] and context["panel"] == "findings":
        context |= margin_lists(request, context, context["chosen_finding"])
    tables = {
        "wires": wires_table(context["space"], context["drawn"].sheet),
        "strips": strips_table(context["space"], context["drawn"].sheet),
    }
    return lists, tables


def _drawn_lists(context: Context, drawing: Any) -> list[KeyedList]:
    sheet = context["drawn"].sheet
    size = f"{sheet.width:g} {sheet.height:g}"
    return [
        KeyedList("frame", [("frame-lines", drawing.frame)], is_svg=True, size=size),
        KeyedList("lines", drawing.lines, is_svg=True),
        KeyedList("boxes", drawing.boxes, is_svg=True),
        KeyedList("title", [("title-block", drawing.title_block)], is_svg=True),
    ]


PLACE = Place(
    "map",
    "Map",
    FLOW,
    0,
    _context,
    page="editor/map.html",
    answer="editor/map_changed.html",
    lists=_lists,
    keys=(
        ("`arrows`", "from strip to strip"),
        ("`Enter`", "select the strip; expand a collapsed section"),
        ("`Shift` click, `Shift Enter`", "select several; on the edge of a section, all of it"),
        ("`s`", "select the whole section of the selected strip"),
        ("`c`", "connect the selection: type the destination"),
        ("`d`", "find an action for the selected strips"),
        ("`t`", "trace the selected strip to every endpoint"),
        ("`Shift t`", "trace to a strip: type its name"),
        ("`f`", "collapse or expand the section of the selected strip"),
        ("`l`", "solo preview of the selection"),
        ("a kind in the legend", "only its routes; `Shift` click hides them, a second click shows all"),
        ("`n` `Shift n`", "next issue, previous issue"),
        ("`a`", "add strips"),
        ("`m`", "mute or unmute the selected strip"),
        ("`Delete`", "remove the selected strip"),
        ("`+` `−` `0`", "zoom in, zoom out, fit"),
        ("`1` … `9`", "show a view; the same key again shows everything"),
        ("`v`", "views: hide kinds of strips and routes, save a view"),
        ("`y`", "tidy the map"),
        ("`p`", "hide or show the side panel"),
        ("`Esc`", "clear the selection"),
    ),
)
