"""The Crosspoints place: sources down, destinations across, routes in the cells."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from django.http import HttpRequest

from lattice.edits.crosspoints import column_of, grid_of
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Route, Strip, Template, main_outlet
from lattice.model.strip_kinds import DESTINATIONS
from web.editor.panels import CHOICES
from web.editor.places.base import FLOW, Context, Place
from web.editor.presenting import as_data

KINDS = ("sound", "key", "midi", "tie")


def grid(graph: SignalGraph, kind: str) -> dict[str, Any]:
    """Rows, columns and cells of one kind of crosspoints, as plain data for the browser."""
    template = graph.template
    sections = {section.id: section for section in template.sections}
    colours = {section.id: section.colour for section in template.sections}
    rows = [
        {
            "i": row, "n": name, "s": strip.section or "", "c": strip.colour or colours.get(strip.section or ""),
            "z": sections[strip.section].name if strip.section in sections else "No section",
        }
        for strip in _in_section_order(template)
        for row, name in _rows(strip, kind)
    ]  # fmt: skip
    cells: dict[str, list[dict[str, Any]]] = defaultdict(list)
    for route in template.routes:
        if grid_of(route) == kind:
            cells[f"{_row_of(graph, route)}|{column_of(route)}"].append(_cell(route))
    return {"kind": kind, "rows": rows, "cols": _columns(template, kind), "cells": cells}


def _cell(route: Route) -> dict[str, Any]:
    port = f"{route.port or 1}·{route.channel or 'all'}" if route.kind == "midi" else ""
    return {"r": route.id, "k": route.kind, "g": route.gain_db, "t": route.tap, "e": route.enabled, "p": port}


def _in_section_order(template: Template) -> list[Strip]:
    order = {section.id: place for place, section in enumerate(template.sections)}
    return sorted(template.strips, key=lambda strip: order.get(strip.section or "", len(order)))


def _rows(strip: Strip, kind: str) -> list[tuple[str, str]]:
    """A strip, and its outlets beyond the main one, as rows of a kind."""
    if kind == "midi":
        return [(strip.id, strip.name)] if strip.kind in ("midi", "input") else []
    if kind == "tie":
        return [(strip.id, strip.name)] if strip.kind == "output" else []
    if strip.kind == "midi" or (kind == "sound" and strip.kind in ("print", "output")):
        return []
    main = main_outlet(strip)
    side = [(f"{strip.id}/{o.id}", f"{strip.name} {o.name or o.id}") for o in strip.outlets if o is not main]
    return [(strip.id, strip.name), *side]


def _row_of(graph: SignalGraph, route: Route) -> str:
    outlet = (graph.index[route.from_strip], route.from_outlet or "")
    return f"{route.from_strip}/{route.from_outlet}" if outlet in graph.outlet_index else route.from_strip


def _columns(template: Template, kind: str) -> list[dict[str, str]]:
    if kind == "sound":
        takes_outlets = {route.to for route in template.routes if route.from_outlet}
        found = [
            (group, strip) for word, group in DESTINATIONS.items() for strip in template.strips if strip.kind == word
        ]
        found += [
            ("Listeners", strip) for strip in template.strips if strip.id in takes_outlets and strip.kind == "audio"
        ]
        return [{"i": strip.id, "n": strip.name, "g": group} for group, strip in found]
    if kind == "key":
        return [
            {"i": f"{strip.id}/{insert.id}", "n": f"{strip.name}: {insert.name or insert.type}", "g": "Inserts"}
            for strip in template.strips
            for insert in strip.inserts
            if insert.traits.can_be_keyed
        ]
    wanted = {"midi": ("instrument", "midi"), "tie": ("input",)}[kind]
    return [{"i": s.id, "n": s.name, "g": s.kind.capitalize() + "s"} for s in template.strips if s.kind in wanted]


def _context(request: HttpRequest, context: Context) -> Context:
    wanted = request.GET.get("kind") or request.POST.get("grid") or ""
    kind = wanted if wanted in KINDS else "sound"
    shown = as_data(grid(context["space"].graph, kind))
    return {"kind": kind, "kinds": KINDS, "grid": shown, "taps": CHOICES["taps"]}


PLACE = Place(
    "crosspoints",
    "Crosspoints",
    FLOW,
    2,
    _context,
    page="editor/crosspoints.html",
    answer="editor/crosspoints_changed.html",
    keys=(
        ("`arrows`", "from cell to cell; with `Shift` a range"),
        ("`Space`", "put or take a route"),
        ("`−` `6` `Enter`", "level of the cells"),
        ("`Delete`", "take the routes of the cells"),
        ("`f`", "fold the section of the row"),
    ),
)
