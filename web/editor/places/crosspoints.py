"""The Crosspoints place: sources down, destinations across, routes in the cells."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from lattice.edits.crosspoints import column_of, grid_of
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Route, Strip, Template, main_outlet
from lattice.model.strip_kinds import DESTINATIONS
from web.editor.panels import CHOICES
from web.editor.places.base import FLOW, Context, Place
from web.shared.records import as_data, records

KINDS = {"sound": "feeds and sends", "key": "keys", "midi": "midi", "tie": "ties"}


def grid(graph: SignalGraph, kind: str) -> dict[str, Any]:
    """Rows, columns and cells of one kind of crosspoints, as plain data for the browser."""
    template = graph.template
    sections = {section.id: section for section in template.sections}

    def head(strip: Strip, row: str, name: str) -> tuple[Any, ...]:
        section = sections.get(strip.section or "")
        colour = strip.colour or (section.colour if section else None)
        return row, name, strip.section or "", section.name if section else "No section", colour

    rows = [head(strip, row, name) for strip in _in_section_order(template) for row, name in _rows(strip, kind)]
    cells = [_cell(graph, route) for route in template.routes if grid_of(route) == kind]
    return {
        "kind": kind,
        "rows": records("id name section section_name colour", rows),
        "cols": records("id name group", _columns(template, kind)),
        "cells": records("row col kind gain_db tap enabled port id is_listed", cells),
    }


def _cell(graph: SignalGraph, route: Route) -> tuple[Any, ...]:
    port = f"{route.port or 1}·{route.channel or 'all'}" if route.kind == "midi" else ""
    row, column = _row_of(graph, route), column_of(route)
    return row, column, route.kind, route.gain_db, route.tap, route.enabled, port, route.id, route.channels is not None


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


def _columns(template: Template, kind: str) -> list[tuple[str, str, str]]:
    """Id, name and group of each destination."""
    if kind == "sound":
        takes_outlets = {route.to for route in template.routes if route.from_outlet}
        destinations = [
            (group, strip) for word, group in DESTINATIONS.items() for strip in template.strips if strip.kind == word
        ]
        destinations += [
            ("Destinations", strip) for strip in template.strips if strip.id in takes_outlets and strip.kind == "audio"
        ]
        return [(strip.id, strip.name, group) for group, strip in destinations]
    if kind == "key":
        return [
            (f"{strip.id}/{insert.id}", f"{strip.name}: {insert.title}", "Inserts")
            for strip in template.strips
            for insert in strip.inserts
            if insert.traits.can_be_keyed
        ]
    wanted = {"midi": ("instrument", "midi"), "tie": ("input",)}[kind]
    return [(s.id, s.name, s.kind.capitalize() + "s") for s in template.strips if s.kind in wanted]


def _context(request: HttpRequest, context: Context) -> Context:
    wanted = request.GET.get("kind") or request.POST.get("grid") or ""
    kind = wanted if wanted in KINDS else "sound"
    shown = as_data(grid(context["space"].graph, kind))
    return {"kind": kind, "kinds": KINDS.items(), "grid": shown, "taps": CHOICES["taps"]}


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
        ("`Space`", "add or remove a route"),
        ("`−` `6` `Enter`", "level of the cells"),
        ("`Enter`", "show the channel pairs of the route"),
        ("`Delete`", "remove the routes of the cells"),
        ("`f`", "collapse the section of the row"),
    ),
)
