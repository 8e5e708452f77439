"""A drawing without some kinds of strips and routes: nothing moves, routes to hidden strips end short with a name."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Protocol

from lattice.drawing.drawing import Box, Line, Sheet, Stub, Wire
from lattice.drawing.lines import junctions, union

STUB_PX = 15.0
MOST_NAMES = 2
MOST_ROOM = 150.0


class HidingView(Protocol):
    """A view of a template, or of a user."""

    @property
    def hidden_kinds(self) -> Collection[str]:
        """Kinds of strips."""

    @property
    def hidden_routes(self) -> Collection[str]:
        """Kinds of routes."""


@dataclass(frozen=True)
class Hidden:
    """Kinds of strips and of routes that a view leaves out."""

    kinds: frozenset[str] = frozenset()
    routes: frozenset[str] = frozenset()

    @staticmethod
    def of(view: HidingView) -> Hidden:
        """What a view leaves out."""
        return Hidden(frozenset(view.hidden_kinds), frozenset(view.hidden_routes))

    def __bool__(self) -> bool:
        return bool(self.kinds or self.routes)


NOTHING = Hidden()


def hiding(sheet: Sheet, hidden: Hidden, names: dict[str, str]) -> Sheet:
    """A sheet without some of its strips and routes.

    Parameters
    ----------
    sheet
        The whole drawing.
    hidden
        Kinds to leave out; collapsed sections stay.
    names
        Box id → name, for the short ends.

    Returns
    -------
    Sheet
        All that stays is where it was. O(boxes + wires).
    """
    if not hidden:
        return sheet
    gone = {box.id for box in sheet.boxes if box.kind in hidden.kinds}
    wires = [wire for wire in sheet.wires if wire.kind not in hidden.routes]
    shown = tuple(wire for wire in wires if wire.start not in gone and wire.end not in gone)
    return replace(
        sheet,
        boxes=tuple(box for box in sheet.boxes if box.id not in gone),
        wires=shown,
        lines=_lines(sheet, shown),
        stubs=tuple(_stubs(wires, gone, names, [box for box in sheet.boxes if box.id not in gone])),
    )


def _lines(sheet: Sheet, shown: tuple[Wire, ...]) -> tuple[Line, ...]:
    """Trunks of the wires that stay; one that keeps all of its wires is the same line."""
    before: dict[str, int] = defaultdict(int)
    for wire in sheet.wires:
        before[wire.trunk] += 1
    kept: dict[str, list[Wire]] = defaultdict(list)
    for wire in shown:
        kept[wire.trunk].append(wire)
    lines = []
    for line in sheet.lines:
        wires = kept.get(line.key, [])
        if len(wires) == before[line.key]:
            lines.append(line)
        elif wires:
            segments = union([list(wire.points) for wire in wires])
            arrow = wires[0].points[-1] if line.feedback else None
            lines.append(Line(line.key, line.kind, line.feedback, tuple(segments), tuple(junctions(segments)), arrow))
    return tuple(lines)


def _stubs(wires: list[Wire], gone: Collection[str], names: dict[str, str], boxes: list[Box]) -> list[Stub]:
    """Short ends at strips that stay, one for each point of a box, with the names of the hidden ends."""
    ends: dict[tuple[float, float, str], list[tuple[str, bool]]] = {}
    ways: dict[tuple[float, float, str], int] = {}
    for wire in wires:
        if (wire.start in gone) == (wire.end in gone):
            continue  # drawn whole, or not at all
        leaves = wire.end in gone
        (x, y), (other, _y) = (wire.points[0], wire.points[1]) if leaves else (wire.points[-1], wire.points[-2])
        key = (x, y, wire.kind)
        ends.setdefault(key, []).append((names[wire.end if leaves else wire.start], leaves))
        ways[key] = 1 if other >= x else -1
    return [
        Stub(
            kind, x, y, ways[x, y, kind] * STUB_PX, _words(found), "; ".join(name for name, _leaves in found),
            _room(boxes, x, y, ways[x, y, kind]),
        )
        for (x, y, kind), found in ends.items()
    ]  # fmt: skip


def _room(boxes: list[Box], x: float, y: float, way: int) -> float:
    """Room for words beside a short end, up to the next box on its row."""
    beside = (box for box in boxes if box.y - 2 <= y <= box.y + box.height + 2)
    edges = (box.x - x if way > 0 else x - box.x - box.width for box in beside)
    return min((edge for edge in edges if edge > 0), default=MOST_ROOM) - STUB_PX - 6


def _words(found: list[tuple[str, bool]]) -> str:
    """“→ Hall, Echo +3”; “← Kick” where the signal comes from there."""
    names = list(dict.fromkeys(name for name, _leaves in found))
    more = f" +{len(names) - MOST_NAMES}" if len(names) > MOST_NAMES else ""
    return f"{'→' if found[0][1] else '←'} {', '.join(names[:MOST_NAMES])}{more}"
