"""Rows of the drawing: every strip keeps its slot; new strips get free ones; rows close up only on request."""

from __future__ import annotations

from collections import defaultdict
from statistics import median

import msgspec

from lattice.drawing.nodes import BUSES, ENDS, INSTRUMENTS, MIX, RETURNS, SOURCES, SUBMIXES, Node, NodeSet

# A folded section keeps room for its name and a line of figures.
FOLDED_ROWS = 2
BESIDE_BANDS = "*"  # the anchor of a strip in no band's rows; strips of no section have a band called ""
GAP_ROWS = {RETURNS: 2, SUBMIXES: 2, MIX: 2, ENDS: 1}


class Slots(msgspec.Struct, omit_defaults=True):
    """State between drawings: band capacities, rows in bands, anchors of free strips."""

    capacity: dict[str, int] = {}
    row: dict[str, int] = {}
    anchor: dict[str, tuple[str, float]] = {}

    def dump(self) -> bytes:
        """JSON for storage."""
        return msgspec.json.encode(self)

    @staticmethod
    def load(data: bytes) -> Slots:
        """The slots that `dump` wrote; none for no bytes."""
        return msgspec.json.decode(data, type=Slots) if data else Slots()


class SlotRows:
    """Gives every node of a sheet its row. `slots` is changed in place: it remembers newcomers."""

    def __init__(self, nodes: NodeSet, slots: Slots) -> None:
        self.nodes = nodes
        self.slots = slots
        self.by_band: dict[str, list[Node]] = defaultdict(list)
        for node in nodes.nodes.values():
            if node.band is not None:
                self.by_band[node.band].append(node)
        self.neighbours = self._neighbours()
        self.top: dict[str, int] = {}
        self.height: dict[str, int] = {}
        self.total = 0
        for band in nodes.bands:
            self.top[band] = self.total
            self.height[band] = self._band(band)
            self.total += self.height[band]
        self._free_strips()
        self.total = (
            max(self.total, *(int(node.row) + node.rows for node in nodes.nodes.values()), 1) if nodes.nodes else 1
        )

    def _neighbours(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = defaultdict(list)
        for link in self.nodes.links:
            if link.kind != "midi":
                found[link.start].append(link.end)
                found[link.end].append(link.start)
        return found

    # bands

    def _band(self, band: str) -> int:
        members = self.by_band[band]
        if any(node.strip < 0 for node in members):
            for node in members:
                node.row = self.top[band] + (FOLDED_ROWS - 1) / 2
            return FOLDED_ROWS
        sources = [node for node in members if node.role == SOURCES]
        instruments = [node for node in members if node.role == INSTRUMENTS]
        height = self._capacity(band, sources, instruments)
        self._place_column(band, sources, height)
        for rank in sorted({node.rank for node in instruments}):
            self._place_beside([node for node in instruments if node.rank == rank], band, height)
        for rank in sorted({node.rank for node in members if node.role == BUSES}):
            buses = [node for node in members if node.role == BUSES and node.rank == rank]
            self._place_column(band, buses, height, centre=True)
        return max(height, *(int(node.row) - self.top[band] + node.rows for node in members))

    def _capacity(self, band: str, sources: list[Node], instruments: list[Node]) -> int:
        """N strips and max(1, n/8) free rows, kept; a full band grows once, by the same measure."""
        most_beside = max(
            (sum(node.rows for node in instruments if node.rank == rank) for rank in {n.rank for n in instruments}),
            default=0,
        )
        needed = max(len(sources), most_beside, 1)
        kept = self.slots.capacity.get(band, 0)
        if needed > kept:
            kept = needed + max(1, needed // 8)
            self.slots.capacity[band] = kept
        return kept

    def _place_column(self, band: str, column: list[Node], height: int, *, centre: bool = False) -> None:
        """Known strips in their slots, newcomers in the first free one (buses: nearest the middle)."""
        taken: dict[int, str] = {}
        fresh = []
        for node in column:
            row = self.slots.row.get(node.id)
            if row is None or row in taken or row >= height:
                fresh.append(node)
            else:
                taken[row] = node.id
                node.row = self.top[band] + row
        middle = (height - 1) // 2
        for node in fresh:
            candidates = sorted(
                range(height + len(fresh)), key=lambda row: (abs(row - middle), row) if centre else (0, row)
            )
            row = next(row for row in candidates if row not in taken)
            taken[row] = node.id
            self.slots.row[node.id] = row
            node.row = self.top[band] + row

    def _place_beside(self, column: list[Node], band: str, height: int) -> None:
        """Instruments in line with the strips that take their outlets, one row an outlet."""
        taken: set[int] = set()
        for node in column:
            row = self.slots.row.get(node.id)
            span = set(range(row, row + node.rows)) if row is not None else set()
            if row is None or span & taken or row + node.rows > height:
                start = self._in_line(node, band, height)
                options = sorted(range(height + node.rows), key=lambda at: (abs(at - start), at))
                row = next(at for at in options if not set(range(at, at + node.rows)) & taken)
                self.slots.row[node.id] = row
            taken |= set(range(row, row + node.rows))
            node.row = self.top[band] + row

    def _in_line(self, node: Node, band: str, height: int) -> int:
        """The row at which most outlets are beside their destination."""
        beside: dict[int, int] = defaultdict(int)
        for link in self.nodes.links:
            if link.start == node.id and self.nodes.nodes[link.end].role == SOURCES:
                beside[int(self.nodes.nodes[link.end].row) - self.top[band] - link.outlet_row] += 1
            elif link.end == node.id and self.nodes.nodes[link.start].role == SOURCES:
                beside[int(self.nodes.nodes[link.start].row) - self.top[band]] += 0
        fitting = [row for row in beside if 0 <= row <= height - node.rows]
        return max(fitting, key=lambda row: (beside[row], -row), default=0)

    # strips of no band

    def _free_strips(self) -> None:
        centres: dict[str, float] = {
            node.id: self.top[node.band] + (self.height[node.band] - 1) / 2
            for node in self.nodes.nodes.values()
            if node.band is not None
        }
        for role in (RETURNS, SUBMIXES, MIX, ENDS):
            ranks = sorted({node.rank for node in self.nodes.nodes.values() if node.role == role})
            for rank in ranks:
                column = [n for n in self.nodes.nodes.values() if n.band is None and (n.role, n.rank) == (role, rank)]
                wanted = {node.id: self._wanted(node, centres) for node in column}
                if role in (SUBMIXES, MIX):
                    column.sort(key=lambda node: wanted[node.id])
                rows = spread_apart([wanted[node.id] for node in column], GAP_ROWS[role])
                for node, row in zip(column, rows, strict=True):
                    node.row = row
                    centres[node.id] = row
                    if node.id not in self.slots.anchor:
                        self.slots.anchor[node.id] = self._anchor(row)

    def _wanted(self, node: Node, centres: dict[str, float]) -> float:
        if node.id in self.slots.anchor:
            band, offset = self.slots.anchor[node.id]
            if band in self.top:
                return (
                    self.top[band] + min(offset, float(self.height[band] - 1)) if offset >= 0 else float(self.top[band])
                )
            if band in (BESIDE_BANDS, ""):  # "": as sheets that are kept had it
                return offset  # its old position, below all bands too: a second drawing moves nothing
        known = [centres[other] for other in self.neighbours[node.id] if other in centres]
        middle = median(known) if known else float(max(self.total - 1, 0)) / 2
        return middle + 1 if node.role == RETURNS else middle  # a row beside the bus: its line passes straight

    def _anchor(self, row: float) -> tuple[str, float]:
        for band, top in self.top.items():
            if top <= row < top + self.height[band]:
                return band, row - top
        return BESIDE_BANDS, row


def spread_apart(wanted: list[float], gap: float) -> list[int]:
    """Whole rows as near as can be to the wanted ones, in the same order.

    Parameters
    ----------
    wanted
        Rows wanted, in order.
    gap
        The least distance of two rows.

    Returns
    -------
    list of int
        The least-squares positions that keep the order: pool adjacent violators (isotonic regression) on wanted −
        i·gap. O(rows).
    """
    pools: list[tuple[float, int]] = []  # (mean, how many)
    for index, row in enumerate(wanted):
        mean, count = row - index * gap, 1
        while pools and pools[-1][0] > mean:
            before, many = pools.pop()
            mean, count = (before * many + mean * count) / (many + count), many + count
        pools.append((mean, count))
    flat = [mean for mean, count in pools for _ in range(count)]
    rows, last = [], -gap
    for index, mean in enumerate(flat):
        row = max(round(max(mean + index * gap, 0)), int(last + gap))
        rows.append(row)
        last = row
    return rows
