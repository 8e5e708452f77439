"""Lines: routes of one kind with one hub share a vertical trunk in each gutter and one track across columns.

Gutter n is before column n; the last one after the last column. x is known once all lanes are known, so lines are
stored as points of (gutter, lane key) or box edges until then.
"""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from lattice.drawing.nodes import Link, Node, NodeSet

ROW = 24.0  # pixels from row to row
BOX_HEIGHT = 18.0
# The height at which a line leaves or enters a box, from its middle: this separates unrelated lines.
OUT = {"feed": 0.0, "tie": 0.0, "send": 3.0, "key": 7.0, "midi": -7.0}
INTO = {"feed": -3.0, "tie": -3.0, "send": -6.0, "key": 6.0, "midi": 7.0}
TRACK_OFFSETS = (10.6, 13.4)  # two tracks in the gap between two rows
MOST_FEEDBACK_TRACKS = 40  # each feedback route has a track of its own; of more than these, those of one hub share one
LANE = 4.8  # pixels between lanes of a gutter
LANE_GAP = 8.0  # rows of one lane have this distance, in pixels


@dataclass
class Run:
    """The vertical piece of a trunk in one gutter."""

    gutter: int
    low: float
    high: float
    collecting: bool
    order: tuple[float, str]
    lane: int = 0

    def cover(self, y: float) -> None:
        """Makes the piece reach a height."""
        self.low, self.high = min(self.low, y), max(self.high, y)


@dataclass
class Trunk:
    """Links of one kind with one hub. `collects`: the hub is the destination."""

    key: str
    kind: str
    hub: str
    collects: bool
    feedback: bool
    links: list[Link] = field(default_factory=list)
    track_y: float | None = None
    runs: dict[int, Run] = field(default_factory=dict)


class Lines:
    """Finds trunks, tracks and lanes for the links of a sheet whose nodes have columns and rows."""

    def __init__(self, nodes: NodeSet) -> None:
        self.nodes = nodes.nodes
        self.links = nodes.links
        self.columns = len(nodes.columns)
        self.boxes: dict[int, list[tuple[float, float]]] = defaultdict(list)  # column → (top, bottom) of boxes
        for node in self.nodes.values():
            top = node.row * ROW - BOX_HEIGHT / 2
            self.boxes[node.column].append((top, top + (node.rows - 1) * ROW + BOX_HEIGHT))
        self.tracks: dict[float, list[tuple[int, int]]] = defaultdict(list)  # y → (first, last gutter) in use
        self.level = self._level_links()
        self.trunks = self._trunks()
        for trunk in self.trunks:
            self._track(trunk)
            self._runs(trunk)
        self.lanes = [self._lanes(gutter) for gutter in range(self.columns + 1)]

    # ends of links

    def start_y(self, link: Link) -> float:
        """Where a link leaves its box, pixels from the top of the bands."""
        return (self.nodes[link.start].row + link.outlet_row) * ROW + OUT[link.kind]

    def end_y(self, link: Link) -> float:
        """The point of its box where a link ends."""
        node = self.nodes[link.end]
        if self.is_level(link):
            return self.start_y(link)
        return node.row * ROW + INTO[link.kind]

    def is_level(self, link: Link) -> bool:
        """Return whether a link is one straight line on its row."""
        return (link.kind, link.start, link.end, link.outlet_row) in self.level

    def _level_links(self) -> set[tuple[str, str, str, int]]:
        """Single lines to a box on the same row with nothing between: straight, without a lane."""
        into: dict[str, int] = defaultdict(int)
        for link in self.links:
            into[link.end] += link.kind in ("feed", "tie")
        level = set()
        for link in self.links:
            start, end = self.nodes[link.start], self.nodes[link.end]
            same_row = start.row + link.outlet_row == end.row and end.column > start.column
            if link.kind in ("feed", "tie") and same_row and into[link.end] == 1:
                y, gutters = self.start_y(link), (start.column + 1, end.column)
                if self._is_free(y, *gutters):
                    level.add((link.kind, link.start, link.end, link.outlet_row))
                    self.tracks[y].append(gutters)
        return level

    def start_gutter(self, link: Link) -> int:
        """Sound leaves to the right; notes leave to the left."""
        column = self.nodes[link.start].column
        return column if link.kind == "midi" else column + 1

    def end_gutter(self, link: Link) -> int:
        """Sound enters from the left; notes too, or from the right where they come from there."""
        end = self.nodes[link.end]
        if link.kind == "midi" and end.column < self.nodes[link.start].column:
            return end.column + 1
        return end.column

    # trunks

    def _trunks(self) -> list[Trunk]:
        into: dict[tuple[str, str], int] = defaultdict(int)
        out_of: dict[tuple[str, str], int] = defaultdict(int)
        for link in self.links:
            into[link.kind, link.end] += 1
            out_of[link.kind, link.start] += 1
        is_knot = sum(link.feedback for link in self.links) > MOST_FEEDBACK_TRACKS
        trunks: dict[str, Trunk] = {}
        for link in self.links:
            collects = into[link.kind, link.end] >= out_of[link.kind, link.start]
            hub = link.end if collects else link.start
            key = f"{link.kind} {'to' if collects else 'from'} {hub}"
            key += f" row {link.outlet_row}" if not collects and link.outlet_row else ""
            if link.feedback:
                key = f"loop {key}" if is_knot else f"loop {link.kind} {link.start} {link.end} {link.routes[0]}"
            if key not in trunks:
                trunks[key] = Trunk(key, link.kind, hub, collects, link.feedback)
            trunks[key].links.append(link)
        return list(trunks.values())

    def _hub_y(self, trunk: Trunk) -> float:
        return self.end_y(trunk.links[0]) if trunk.collects else self.start_y(trunk.links[0])

    def _track(self, trunk: Trunk) -> None:
        """The y on which a trunk crosses columns: the hub's own where that is free, else the nearest gap."""
        bent = [link for link in trunk.links if not self.is_level(link)]
        gutters = {gutter for link in bent for gutter in (self.start_gutter(link), self.end_gutter(link))} or {0}
        first, last = min(gutters), max(gutters)
        if first == last:
            return
        hub_y = self._hub_y(trunk)
        options = [hub_y] if not trunk.feedback else []
        base = round(hub_y / ROW)
        for distance in range(400):
            rows = {base + distance, base - distance - 1} if not trunk.feedback else {base + distance}
            options += sorted(
                (row * ROW + offset for row in rows for offset in TRACK_OFFSETS), key=lambda y: abs(y - hub_y)
            )
            while options:
                y = options.pop(0)
                if y > -ROW and self._is_free(y, first, last):
                    self.tracks[y].append((first, last))
                    trunk.track_y = y
                    return

    def _is_free(self, y: float, first: int, last: int) -> bool:
        if any(first <= other_last and other_first <= last for other_first, other_last in self.tracks[y]):
            return False
        for column in range(first, last):
            for top, bottom in self.boxes[column]:
                if top - 1 < y < bottom + 1:
                    return False
        return True

    def _runs(self, trunk: Trunk) -> None:
        for link in trunk.links:
            if self.is_level(link):
                continue
            start, end = self.start_gutter(link), self.end_gutter(link)
            self._run(trunk, start, self.start_y(link), trunk.collects)
            self._run(trunk, end, self.end_y(link), start == end and trunk.collects)
            if trunk.track_y is not None and start != end:
                trunk.runs[start].cover(trunk.track_y)
                trunk.runs[end].cover(trunk.track_y)

    def _run(self, trunk: Trunk, gutter: int, y: float, collecting: bool) -> None:
        if gutter not in trunk.runs:
            trunk.runs[gutter] = Run(gutter, y, y, collecting, (y, trunk.key))
        trunk.runs[gutter].cover(y)

    def _lanes(self, gutter: int) -> int:
        """Lanes of a gutter: collecting runs from the left, short ones first; the others behind, long first."""
        runs = [run for trunk in self.trunks for run in trunk.runs.values() if run.gutter == gutter]
        collecting = sorted((r for r in runs if r.collecting), key=lambda r: (r.high - r.low, r.order))
        others = sorted((r for r in runs if not r.collecting), key=lambda r: (r.low - r.high, r.order))
        ends: list[list[tuple[float, float]]] = []
        for group in (collecting, others):
            first = 0 if group is collecting else len(ends)
            for run in group:
                run.lane = next(
                    (lane for lane in range(first, len(ends)) if _fits(ends[lane], run.low, run.high)), len(ends)
                )
                if run.lane == len(ends):
                    ends.append([])
                ends[run.lane].append((run.low, run.high))
        return len(ends)

    def points(self, trunk: Trunk, link: Link, xs: Xs) -> list[tuple[float, float]]:
        """The corners of one link, from box to box."""
        start_y, end_y = self.start_y(link), self.end_y(link)
        start_x, end_x = xs.start(link), xs.end(link)
        if self.is_level(link):
            return [(start_x, start_y), (end_x, end_y)]
        first, last = self.start_gutter(link), self.end_gutter(link)
        one, other = xs.lane(trunk.runs[first]), xs.lane(trunk.runs[last])
        if first == last:
            corners = [(one, start_y), (one, end_y)]
        else:
            across = trunk.track_y if trunk.track_y is not None else end_y
            corners = [(one, start_y), (one, across), (other, across), (other, end_y)]
        return _straightened([(start_x, start_y), *corners, (end_x, end_y)])


def _fits(taken: list[tuple[float, float]], low: float, high: float) -> bool:
    return all(high + LANE_GAP < other_low or other_high + LANE_GAP < low for other_low, other_high in taken)


def _straightened(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Without corners that are none and points that repeat."""
    kept: list[tuple[float, float]] = []
    for point in points:
        if kept and kept[-1] == point:
            continue
        on_line = len(kept) > 1 and (
            (kept[-2][0] == kept[-1][0] == point[0]) or (kept[-2][1] == kept[-1][1] == point[1])
        )
        if on_line:
            kept[-1] = point
        else:
            kept.append(point)
    return kept


class Xs:
    """x positions, once the width of every gutter is known."""

    def __init__(self, lines: Lines, left: float, widths: Sequence[float], least_gutter: float) -> None:
        self.lines = lines
        self.widths = widths  # of the boxes, by column
        self.column_x: list[float] = []
        self.lane_x: list[float] = []
        x = left
        for gutter, lanes in enumerate(lines.lanes):
            width = max(least_gutter if gutter < lines.columns else 14.0, (lanes + 1) * LANE + 3)
            self.lane_x.append(x + (width - (lanes - 1) * LANE) / 2)
            x += width
            if gutter < lines.columns:
                self.column_x.append(x)
                x += widths[gutter]
        self.right = x

    def lane(self, run: Run) -> float:
        """The x of a vertical piece."""
        return round(self.lane_x[run.gutter] + run.lane * LANE, 1)

    def box(self, node: Node) -> float:
        """The left edge of a box."""
        return self.column_x[node.column]

    def start(self, link: Link) -> float:
        """The x where a link leaves its box."""
        node = self.lines.nodes[link.start]
        return self.box(node) if link.kind == "midi" else self.box(node) + self.widths[node.column]

    def end(self, link: Link) -> float:
        """The x of its box where a link ends."""
        node = self.lines.nodes[link.end]
        from_right = self.lines.end_gutter(link) == node.column + 1
        return self.box(node) + self.widths[node.column] if from_right else self.box(node)


def union(paths: Iterable[list[tuple[float, float]]]) -> list[tuple[float, float, float, float]]:
    """Segments of many right-angled paths, each piece of line once: (x1, y1, x2, y2)."""
    level: dict[float, list[tuple[float, float]]] = defaultdict(list)
    upright: dict[float, list[tuple[float, float]]] = defaultdict(list)
    for path in paths:
        for (x1, y1), (x2, y2) in itertools.pairwise(path):
            if y1 == y2:
                level[y1].append((min(x1, x2), max(x1, x2)))
            else:
                upright[x1].append((min(y1, y2), max(y1, y2)))
    segments = [(low, y, high, y) for y, spans in sorted(level.items()) for low, high in _merged(spans)]
    segments += [(x, low, x, high) for x, spans in sorted(upright.items()) for low, high in _merged(spans)]
    return segments


def _merged(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    merged: list[tuple[float, float]] = []
    for low, high in sorted(spans):
        if merged and low <= merged[-1][1]:
            merged[-1] = (merged[-1][0], max(merged[-1][1], high))
        else:
            merged.append((low, high))
    return merged


def junctions(segments: list[tuple[float, float, float, float]]) -> list[tuple[float, float]]:
    """Points where three or four pieces of one trunk meet: they carry a dot."""
    level = [s for s in segments if s[1] == s[3]]
    upright: dict[float, list[tuple[float, float]]] = defaultdict(list)
    for x, low, _x, high in (s for s in segments if s[0] == s[2]):
        upright[x].append((low, high))
    points = []
    for x1, y, x2, _y in level:
        for x, spans in upright.items():
            if x1 <= x <= x2:
                for low, high in spans:
                    if low <= y <= high and (x1 < x) + (x < x2) + (low < y) + (y < high) > 2:
                        points.append((x, y))
    return sorted(set(points))
