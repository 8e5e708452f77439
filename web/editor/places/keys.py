"""The Side-chains page: triggers and the strips they duck, active or inactive."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from lattice.graph.masks import masks
from lattice.model.tempo import tempos
from lattice.model.units import samples_to_ms
from web.editor.places.base import FLOW, Context, Place
from web.editor.places.keys_drawing import depth_curves, releases, who_ducks_whom
from web.shelf.workspace import Workspace

SHOWN_SOURCES = 12


def keys(space: Workspace) -> list[dict[str, Any]]:
    """One row a key route: trigger, insert, active or inactive, the sources it ducks, and whether twice."""
    analysis, graph = space.analysis, space.graph
    twice = {
        (insert, finding.strips[-1])
        for finding in space.audit.findings
        if finding.code == "key.double"
        for insert in finding.inserts
    }
    keyed = sorted({graph.head[route] for route in graph.keys})
    bits = {strip: 1 << at for at, strip in enumerate(keyed)}
    sounding = [strip_number for strip_number, sounds in enumerate(analysis.unblocked.sounds) if sounds]
    reached = masks(analysis.unblocked, bits, {})
    names = [analysis.source_name(strip_number) for strip_number in sounding]
    outlets = [o for o in range(len(graph.outlets)) if analysis.unblocked.outlet_sounds(o)]
    names += [analysis.source_name(graph.outlets[outlet][0], outlet) for outlet in outlets]
    rows = []
    for route in graph.keys:
        insert, strip = graph.insert_of_key(route), graph.strips[graph.head[route]]
        listens = insert.key == "external"
        awake = listens and insert.state == "on" and analysis.carries(route)
        ducked = [name for name, mask in zip(names, reached, strict=True) if mask & bits[graph.head[route]]]
        why = "not set to external" if not listens else insert.state if insert.state != "on" else "carries no signal"
        rows.append(
            {
                "route": graph.routes[route],
                "trigger": graph.strips[graph.tail[route]],
                "strip": strip,
                "insert": insert,
                "awake": awake,
                "why": "" if awake else why,
                "depth": analysis.levels.ducking(insert) if awake else (None, None),
                "key_db": (analysis.levels.key_level_db(insert), analysis.levels.key_peak_db(insert)),
                "late_ms": _late_ms(space, route) if awake else None,
                "twice": (insert.id, graph.strips[graph.tail[route]].id) in twice,
                "ducked": ducked[:SHOWN_SOURCES],
                "more": max(0, len(ducked) - SHOWN_SOURCES),
            }
        )
    return rows


def _late_ms(space: Workspace, route: int) -> float | None:
    """How much later than the sound it ducks a key comes, ms; below 0 before it; None where one is not there."""
    arrivals, graph = space.analysis.arrivals, space.graph
    node = space.analysis.loops.insert_nodes.get(graph.insert_of_key(route).id)
    audio = arrivals.at_insert(node) if node is not None else None
    key = arrivals.brought(route)
    if audio is None or key is None:
        return None
    return samples_to_ms(key.latest - audio.earliest, space.template.sample_rate_hz)


def _context(_request: HttpRequest, context: Context) -> Context:
    rows, template = keys(context["space"]), context["template"]
    return {
        "rows": rows,
        "tolerance_ms": template.profile.key_tolerance_ms,
        "drawing": who_ducks_whom(rows),
        "curves": depth_curves(rows),
        "releases": releases(rows, tempos(template)),
    }


PLACE = Place("keys", "Side-chains", FLOW, 3, _context)
