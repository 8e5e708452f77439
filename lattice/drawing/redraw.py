"""A drawing after an edit that moves nothing: changed boxes are drawn again, all else is reused.

Most edits set a fader, a name or an insert. Positions and lines depend on the strips, their kinds and sections, and on
the routes. `draw` runs again only if some of these have changed.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Any

from lattice.drawing.drawing import Box, Sheet, box_width, figures_of, look_of, outlet_names
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Route, Strip


def redrawn(
    sheet: Sheet, before: SignalGraph, after: SignalGraph, feedback: tuple[Collection[int], Collection[int]]
) -> Sheet | None:
    """The drawing of a template after an edit, with the same folds and slots.

    Parameters
    ----------
    sheet
        The drawing before the edit.
    before, after
        The graphs before and after it.
    feedback
        Routes drawn as feedback, before and after it.

    Returns
    -------
    Sheet or None
        The result of `draw`, in O(changes) if the edit leaves positions unchanged; None if it moves something.
    """
    old, new = before.template, after.template
    if old.sections != new.sections or old.machines != new.machines or feedback[0] != feedback[1]:
        return None
    if len(old.strips) != len(new.strips) or len(old.routes) != len(new.routes):
        return None
    changed = set()
    for number, (was, now) in enumerate(zip(old.strips, new.strips, strict=True)):
        if was is not now and was != now:
            if _place(was) != _place(now) or _widens(was, now):
                return None
            changed.add(number)
    for number, (passed, passes) in enumerate(zip(old.routes, new.routes, strict=True)):
        if passed is not passes and passed != passes:
            if _course(passed) != _course(passes):
                return None
            changed.add(after.tail[number])  # a box shows the port and channel of its notes
    if not changed:
        return sheet
    index = after.index
    boxes = tuple(
        _dressed(box, after, index[box.id]) if box.strip and index[box.id] in changed else box for box in sheet.boxes
    )
    return replace(sheet, boxes=boxes)


def _place(strip: Strip) -> tuple[Any, ...]:
    """The values of a strip that determine its position and size."""
    outlets = tuple((outlet.id, outlet.main) for outlet in strip.outlets)
    return strip.id, strip.kind, strip.section, strip.machine, outlets


def _widens(was: Strip, now: Strip) -> bool:
    """Return whether a name may make a column wider, or narrower: it may be the longest in it."""
    return box_width(was.name, outlet_names(was)) != box_width(now.name, outlet_names(now))


def _course(route: Route) -> tuple[Any, ...]:
    """The values of a route that determine its line."""
    return route.id, route.kind, route.from_strip, route.from_outlet, route.to


def _dressed(box: Box, graph: SignalGraph, number: int) -> Box:
    strip = graph.strips[number]
    sections = {section.id: section for section in graph.template.sections}
    labels = [(outlet.name or outlet.id, outlet.open) for outlet in strip.outlets]
    outlets = tuple((y, *label) for (y, *_was), label in zip(box.outlets, labels, strict=True)) if box.outlets else ()
    return replace(
        box, name=strip.name, figures=figures_of(graph, number), outlets=outlets, **look_of(strip, box.band, sections)
    )
