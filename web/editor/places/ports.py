"""The Ports place: outlets, midi channels, physical channels, ties."""

from __future__ import annotations

import json
from collections import defaultdict
from typing import Any

from django.http import HttpRequest

from lattice.checks.channels import keeps_channels_apart, landings
from lattice.model.document import Machine, Strip, Template, machine_id, main_outlet, outlet_of_part
from lattice.model.layouts import channel_names
from web.editor.places.base import FLOW, Context, Place, wanted
from web.editor.places.panners import panners
from web.shelf.workspace import Workspace

CHANNELS = range(1, 17)  # of a midi port, MIDI 1.0


def instruments(template: Template, chosen: str) -> list[dict[str, Any]]:
    """For each instrument its outlets with parts and listeners, its midi boards, and which `chosen` strips play it."""
    names = {strip.id: strip for strip in template.strips}
    players: dict[str, set[str]] = defaultdict(set)
    for route in template.routes:
        if route.kind == "midi":
            players[route.to].add(route.from_strip)
    return [
        {
            "strip": strip,
            "outlets": _outlets(template, strip, names),
            "boards": _boards(template, strip, names),
            "players": bool(players[strip.id]),
            "numbered": _numbered(strip, [one for one in chosen.split() if one in players[strip.id]]),
        }
        for strip in template.strips
        if strip.kind == "instrument"
    ]


def _numbered(kit: Strip, players: list[str]) -> str:
    """The posted values for numbering channels: the instrument, and its selected players."""
    return json.dumps({"instrument": kit.id, **({"strips": " ".join(players)} if players else {})})


def _outlets(template: Template, kit: Strip, names: dict[str, Strip]) -> list[dict[str, Any]]:
    rows = []
    sounding = [route for route in template.routes if route.from_strip == kit.id and route.kind != "key"]
    for outlet in kit.outlets:
        is_main = outlet is main_outlet(kit)
        leaving = {outlet.id, None} if is_main else {outlet.id}
        takers = [names[route.to] for route in sounding if route.from_outlet in leaving]
        parts = [part for part in kit.parts if outlet_of_part(kit, part) is outlet]
        rows.append({"outlet": outlet, "main": is_main, "parts": parts, "takers": takers})
    return rows


def _boards(template: Template, kit: Strip, names: dict[str, Strip]) -> list[dict[str, Any]]:
    """A row of 16 cells for each port: free, taken, shared or filtered."""
    playing = [route for route in template.routes if route.kind == "midi" and route.to == kit.id and route.enabled]
    ports = max([kit.midi.ports if kit.midi else 1, *(route.port or 1 for route in playing)])
    received = kit.midi.channels if kit.midi else "all"
    boards = []
    for port in range(1, ports + 1):
        cells = []
        for channel in CHANNELS:
            on_it = [route for route in playing if (route.port or 1) == port and route.channel in (None, channel)]
            takers = [names[route.from_strip].name for route in on_it]
            filtered = received != "all" and channel not in received
            state = "filtered" if filtered else "shared" if len(takers) > 1 else "taken" if takers else "free"
            ids = " ".join(route.from_strip for route in on_it)
            cells.append({"channel": channel, "state": state, "takers": takers, "ids": ids})
        boards.append({"port": port, "cells": cells, "free": sum(cell["state"] == "free" for cell in cells)})
    return boards


def machines(template: Template) -> list[dict[str, Any]]:
    """For each machine its physical inputs and outputs by number, with their names and their users."""
    used: dict[tuple[str, str, int], list[Strip]] = defaultdict(list)
    for strip in template.strips:
        if strip.kind in ("input", "output"):
            for channel in strip.io or ():
                used[machine_id(template, strip), strip.kind, channel].append(strip)

    def side(machine: Machine, way: str, count: int, labels: dict[str, str]) -> list[dict[str, Any]]:
        return [
            {"channel": channel, "name": labels.get(str(channel), ""), "strips": used[machine.id, way, channel]}
            for channel in range(1, count + 1)
        ]

    return [
        {
            "machine": machine,
            "sides": (
                ("input", side(machine, "input", machine.inputs, machine.input_names)),
                ("output", side(machine, "output", machine.outputs, machine.output_names)),
            ),
        }
        for machine in template.machines
    ]


def inputs(space: Workspace, chosen: str) -> list[dict[str, Any]]:
    """The channels of each discrete strip, and of the selected one: free or taken, with the strip."""
    graph, found = space.graph, []
    for number, strip in enumerate(graph.strips):
        if not (keeps_channels_apart(strip) or (strip.id == chosen and graph.ins[number])):
            continue
        landing = landings(space.analysis, number)
        cells = []
        for row, name in enumerate(channel_names(strip.layout)):
            takers = list(dict.fromkeys(graph.strips[graph.tail[route]].name for route in landing.get(row, ())))
            state = "free" if not takers else "taken" if len(takers) == 1 else "doubled"
            cells.append({"channel": name, "state": state, "takers": takers})
        free = sum(cell["state"] == "free" for cell in cells)
        doubled = sum(cell["state"] == "doubled" for cell in cells)
        found.append({"strip": strip, "cells": cells, "free": free, "doubled": doubled})
    return found


def ties(template: Template) -> list[dict[str, Any]]:
    """Ties with both ends: machine, strip and physical channels."""
    strips = {strip.id: strip for strip in template.strips}
    names = {machine.id: machine.name for machine in template.machines}
    return [
        {
            "route": route, "start": strips[route.from_strip], "end": strips[route.to],
            "start_machine": names[machine_id(template, strips[route.from_strip])],
            "end_machine": names[machine_id(template, strips[route.to])],
        }
        for route in template.routes
        if route.kind == "tie"
    ]  # fmt: skip


def _context(request: HttpRequest, context: Context) -> Context:
    template = context["template"]
    return {
        "instruments": instruments(template, wanted(request, "strips")),
        "inputs": inputs(context["space"], wanted(request, "strip")),
        "panners": panners(context["space"]),
        "machines": machines(template),
        "ties": ties(template),
        "machine_kinds": ("computer", "outboard"),
    }


PLACE = Place("ports", "Ports", FLOW, 4, _context)
