"""The Map place: the drawing, the margin beside it, and what is chosen."""

from __future__ import annotations

from django.http import HttpRequest

from web.editor.panels import CHOICES, chosen
from web.editor.places.base import FLOW, Context, Place
from web.editor.presenting import map_context


def _context(request: HttpRequest, context: Context) -> Context:
    return map_context(request, context) | CHOICES | chosen(request, context["space"])


PLACE = Place(
    "map",
    "Map",
    FLOW,
    0,
    _context,
    page="editor/map.html",
    answer="editor/map_changed.html",
    keys=(
        ("`arrows`", "from strip to strip"),
        ("`Enter`", "choose the strip; open a folded section"),
        ("`Shift` click, `Shift Enter`", "choose several"),
        ("`s`", "choose the whole section of the chosen strip"),
        ("`c`", "connect the chosen strip: type where to"),
        ("`t`", "trace the chosen strip to every endpoint"),
        ("`Shift t`", "trace to a strip: type which"),
        ("`f`", "fold or open the section of the chosen strip"),
        ("`n` `Shift n`", "next finding, the one before"),
        ("`a`", "add strips"),
        ("`m`", "mute or unmute the chosen strip"),
        ("`Delete`", "remove the chosen strip"),
        ("`+` `−` `0`", "larger, smaller, whole sheet"),
        ("`y`", "tidy the sheet"),
        ("`p`", "hide or show the margin"),
        ("`Esc`", "let go of what is chosen"),
    ),
)
