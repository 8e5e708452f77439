"""Panners on Ports: their inputs with the strips that feed them, and the loudspeakers seen from above."""

from __future__ import annotations

import math
from typing import Any

from lattice.checks.channels import landings
from lattice.model.document import Insert, Strip
from lattice.model.layouts import AZIMUTHS, channel_count, channel_names
from web.shelf.workspace import Workspace

WIDTH, HEIGHT = 300, 250  # of a drawing, px
CENTRE_X, CENTRE_Y, RADIUS = 150, 126, 84
LABEL_RADIUS = 108
LFE_RADIUS, LFE_LABEL_X = 42, 26  # a place on the drawing: it has no direction


def panners(space: Workspace) -> list[dict[str, Any]]:
    """Every panner that is on, in session order."""
    found = []
    for number, strip in enumerate(space.graph.strips):
        layout = strip.layout
        for place, insert in enumerate(strip.inserts):
            layout_in, layout = insert.layouts(layout)
            if insert.traits.spreads and insert.state == "on":
                feeding = _feeding(space, number) if place == 0 else {}
                found.append(_panner(strip, insert, (layout_in, layout), feeding))
    return found


def _feeding(space: Workspace, number: int) -> dict[int, list[str]]:
    """By input, from 0, the names of the strips that reach it."""
    graph = space.graph
    return {
        row: list(dict.fromkeys(graph.strips[graph.tail[route]].name for route in routes))
        for row, routes in landings(space.analysis, number).items()
    }


def _panner(strip: Strip, insert: Insert, layouts: tuple[str, str], feeding: dict[int, list[str]]) -> dict[str, Any]:
    layout_in, layout_out = layouts
    count = channel_count(layout_in)
    positions = [*(insert.positions or ()), *([None] * count)][:count]
    inputs = [
        {
            "number": row + 1,
            "said": str(row + 1),
            "id": f"pi-{row + 1}-{insert.id}",
            "names": ", ".join(feeding.get(row, [])[:3]),
            "position": position or "",
        }
        for row, position in enumerate(positions)
    ]
    names = channel_names(layout_out)
    speakers = [_speaker(name, layout_out, inputs) for name in names] if layout_out in AZIMUTHS else []
    return {
        "strip": strip,
        "insert": insert,
        "layouts": f"{layout_in} to {layout_out}",
        "inputs": inputs,
        "channels": names,
        "speakers": speakers,
        "said": "; ".join(one["said"] for one in speakers),
        "size": {"width": WIDTH, "height": HEIGHT, "x": CENTRE_X, "y": CENTRE_Y, "radius": RADIUS},
    }


def _speaker(name: str, layout: str, inputs: list[dict[str, Any]]) -> dict[str, Any]:
    """A loudspeaker: its place, turned to the listener, and the inputs that are on it."""
    azimuth = AZIMUTHS[layout].get(name)
    if azimuth is None:
        x, y = _place(0, LFE_RADIUS)
        label_x, label_y = x + LFE_LABEL_X, y
    else:
        (x, y), (label_x, label_y) = _place(azimuth, RADIUS), _place(azimuth, LABEL_RADIUS)
    numbers = [one["number"] for one in inputs if one["position"] == name]
    return {
        "name": name, "x": x, "y": y, "turn": -(azimuth or 0), "label_x": label_x, "label_y": label_y,
        "inputs": ", ".join(map(str, numbers)), "said": _words(name, azimuth, numbers),
    }  # fmt: skip


def _words(name: str, azimuth: float | None, inputs: list[int]) -> str:
    """“L 30° left, input 1”."""
    side = f"{abs(azimuth)}° {'left' if azimuth > 0 else 'right'}" if azimuth else "in front"
    where = "no direction" if azimuth is None else side
    on = f", input {', '.join(map(str, inputs))}" if inputs else ""
    return f"{name} {where}{on}"


def _place(azimuth: float, radius: float) -> tuple[float, float]:
    """X and y for an angle to the left of the front."""
    angle = math.radians(azimuth)
    return round(CENTRE_X - radius * math.sin(angle), 1), round(CENTRE_Y - radius * math.cos(angle), 1)
