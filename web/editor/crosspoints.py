"""The crosspoints: sources down, destinations across, routes in the cells; and what is put or taken there."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from django.http import QueryDict

from lattice.errors import EditError
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Route, Strip, Template, main_outlet
from lattice.model.edit_step import EditStep
from lattice.model.strip_kinds import DESTINATIONS
from lattice.model.units import parse_db

KINDS = ("sound", "key", "midi", "tie")
MOST_CELLS = 5000


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
        if _kind_of(route) == kind:
            cells[f"{_row_of(graph, route)}|{_column_of(route)}"].append(_cell(route))
    return {"kind": kind, "rows": rows, "cols": _columns(template, kind), "cells": cells}


def _cell(route: Route) -> dict[str, Any]:
    port = f"{route.port or 1}·{route.channel or 'all'}" if route.kind == "midi" else ""
    return {"r": route.id, "k": route.kind, "g": route.gain_db, "t": route.tap, "e": route.enabled, "p": port}


def _in_section_order(template: Template) -> list[Strip]:
    order = {section.id: place for place, section in enumerate(template.sections)}
    return sorted(template.strips, key=lambda strip: order.get(strip.section or "", len(order)))


def _kind_of(route: Route) -> str:
    return "sound" if route.kind in ("feed", "send") else route.kind


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


def _column_of(route: Route) -> str:
    return f"{route.to}/{route.to_insert}" if route.kind == "key" else route.to


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


def put_cells(data: QueryDict, template: Template) -> tuple[str, list[EditStep]]:
    """Puts or takes routes in many cells at once: `cells` is “row|column row|column”, `do` is put, level or take."""
    pairs = [tuple(cell.split("|", 1)) for cell in data.get("cells", "").split() if "|" in cell]
    if not pairs or len(pairs) > MOST_CELLS:
        raise EditError(f"{len(pairs)} crosspoints are chosen; allowed are 1 to {MOST_CELLS}")
    do, kind = data.get("do", "put"), data.get("kind", "feed")
    there: dict[tuple[str, str], list[Route]] = defaultdict(list)
    for route in template.routes:
        for row in {route.from_strip, f"{route.from_strip}/{route.from_outlet}"}:
            there[row, _column_of(route)].append(route)
    if do == "take":
        gone = list(dict.fromkeys(r.id for pair in pairs for r in there[pair] if _kind_of(r) == _group(kind)))  # type: ignore[index]
        if not gone:
            raise EditError("there is no route to take at these crosspoints")
        return f"Take {len(gone)} routes", [EditStep("remove_routes", {"routes": gone})]
    steps = [step for row, column in pairs for step in _put(do, kind, row, column, there[row, column], data)]
    if not steps:
        raise EditError("these crosspoints are as they should be already")
    return f"{'Level of' if do == 'level' else 'Put'} {len(steps)} routes", steps


def _group(kind: str) -> str:
    return "sound" if kind in ("feed", "send") else kind


def _level(data: QueryDict) -> float | None:
    try:
        return parse_db(data.get("gain_db") or "-10")
    except ValueError as wrong:
        raise EditError(str(wrong)) from None


def _put(do: str, kind: str, row: str, column: str, there: list[Route], data: QueryDict) -> list[EditStep]:
    same = [route for route in there if (route.kind == kind if do == "put" else route.kind in ("feed", "send", "key"))]
    if do == "level" and same:
        return [EditStep("change_route", {"route": route.id, "changes": {"gain_db": _level(data)}}) for route in same]
    if same:
        return []
    start, _slash, outlet = row.partition("/")
    to, _slash, insert = column.partition("/")
    kind = "send" if do == "level" and kind == "feed" else kind
    fields: dict[str, Any] = {"kind": kind, "from": start, "to": to}
    fields |= {"from_outlet": outlet} if outlet else {}
    fields |= {"to_insert": insert} if insert else {}
    if kind == "send":
        fields |= {"gain_db": _level(data), "tap": data.get("tap") or "post-fader"}
    return [EditStep("add_route", {"route": fields})]
