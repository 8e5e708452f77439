"""Channel layouts and the mapping of one onto another.

Matrices are tuples of rows, `matrix[destination channel][source channel]`, linear gain.
"""

from __future__ import annotations

import math
from functools import cached_property, lru_cache


class Matrix(tuple[tuple[float, ...], ...]):
    """Linear gains by destination channel, then by source channel: (rows, columns), 1 to 64 each.

    Wide ones are mostly zeros: sums use `entries`, which are computed once.
    """

    @cached_property
    def entries(self) -> tuple[tuple[int, int, float], ...]:
        """(destination channel, source channel, gain) of the entries other than 0."""
        return tuple((row, column, gain) for row, gains in enumerate(self) for column, gain in enumerate(gains) if gain)

    @cached_property
    def is_identity(self) -> bool:
        """Every channel goes straight on, at unity."""
        if len(self) != len(self[0]) or len(self.entries) != len(self):
            return False
        return all(row == column and gain == 1.0 for row, column, gain in self.entries)

    @cached_property
    def norm(self) -> float:
        """Frobenius norm, the root of the sum of squares."""
        return math.sqrt(sum(gain * gain for _row, _column, gain in self.entries))

    @cached_property
    def most(self) -> float:
        """The largest sum of absolute gains into one destination channel: the bound for coincident peaks."""
        return max(sum(abs(gain) for gain in row) for row in self)

    @cached_property
    def spread(self) -> tuple[int, ...]:
        """By source channel, its destination channels, as bits from channel 1 up."""
        found = [0] * len(self[0])
        for row, column, _gain in self.entries:
            found[column] |= 1 << row
        return tuple(found)


NAMED: dict[str, tuple[str, ...]] = {
    "mono": ("M",),
    "stereo": ("L", "R"),
    "lcr": ("L", "R", "C"),
    "quad": ("L", "R", "Ls", "Rs"),
    "5.0": ("L", "R", "C", "Ls", "Rs"),
    "5.1": ("L", "R", "C", "LFE", "Ls", "Rs"),
    "7.1": ("L", "R", "C", "LFE", "Ls", "Rs", "Lrs", "Rrs"),
}
DISCRETE = "discrete:"
# As wide as masks of channels are handled in one machine word.
MAX_DISCRETE = 64
LAYOUTS = (*NAMED, *(f"{DISCRETE}{number}" for number in range(1, MAX_DISCRETE + 1)))

FOLD_GAIN = 0.7071  # −3 dB, ITU-R BS.775-4, annex 4: centre and surrounds in the stereo down-mix
# Where a channel goes that the destination lacks: the first of these targets that exists there.
FOLD: dict[str, tuple[tuple[str, ...], ...]] = {
    "C": (("L", "R"),),
    "Ls": (("L",),),
    "Rs": (("R",),),
    "Lrs": (("Ls",), ("L",)),
    "Rrs": (("Rs",), ("R",)),
    "LFE": (),
}


@lru_cache(maxsize=128)
def layout_of_count(count: int) -> str:
    """The layout that so many channels in a row are taken for: mono, stereo, else numbered ones."""
    return {1: "mono", 2: "stereo"}.get(count, f"{DISCRETE}{count}")


def channel_count(layout: str) -> int:
    """Number of channels of a layout, 1 to 64."""
    if layout.startswith(DISCRETE):
        return int(layout[len(DISCRETE) :])
    return len(NAMED[layout])


def channel_names(layout: str) -> tuple[str, ...]:
    """Channel names in channel order; the channels of a discrete layout are numbered from 1."""
    if layout.startswith(DISCRETE):
        return tuple(str(n + 1) for n in range(channel_count(layout)))
    return NAMED[layout]


@lru_cache(maxsize=4096)
def pan_gains(pan: float, law_db: float) -> tuple[float, float]:
    """Gains of a mono signal on left and right.

    Parameters
    ----------
    pan
        Position, −1 (left) to 1 (right).
    law_db
        Pan law: the level of each side at the centre, 0 to −6 dB; 0 is the balance form.

    Returns
    -------
    tuple of float
        Linear gains (left, right), 0 to 1.

    Notes
    -----
    docs/reference/checks.md, *Levels*: with k = |law| / 3.0103 and θ = (pan + 1)·π/4 they are cos(θ)^k and sin(θ)^k.
    At −3.01 dB that
    is the constant-power law, cos θ and sin θ (common practice).
    """
    if law_db == 0:
        return balance_gains(pan)
    k = abs(law_db) / 3.0103
    theta = (pan + 1) * math.pi / 4
    return max(math.cos(theta), 0.0) ** k, max(math.sin(theta), 0.0) ** k


@lru_cache(maxsize=4096)
def balance_gains(pan: float) -> tuple[float, float]:
    """Linear gains (left, right) of a stereo signal at a balance of −1 to 1: one side fades, the other stays."""
    return min(1.0, 1.0 - pan), min(1.0, 1.0 + pan)


def _to_matrix(rows: int, columns: int, gains: dict[tuple[int, int], float]) -> Matrix:
    return Matrix(tuple(gains.get((row, column), 0.0) for column in range(columns)) for row in range(rows))


@lru_cache(maxsize=4096)
def channel_to_channel(rows: int, columns: int) -> Matrix:
    """Identity as far as both sides have the channel: (rows, columns)."""
    return _to_matrix(rows, columns, {(n, n): 1.0 for n in range(min(rows, columns))})


def _fold_matrix(source: tuple[str, ...], destination: tuple[str, ...]) -> Matrix:
    """Between named layouts by channel name; channels missing in the destination are folded."""
    place = {name: row for row, name in enumerate(destination)}
    gains: dict[tuple[int, int], float] = {}
    for column, name in enumerate(source):
        if name in place:
            gains[place[name], column] = 1.0
            continue
        targets = next((group for group in FOLD[name] if all(target in place for target in group)), ())
        for target in targets:
            gains[place[target], column] = FOLD_GAIN
    return _to_matrix(len(destination), len(source), gains)


@lru_cache(maxsize=4096)
def mapping(source: str, destination: str, left: float = 1.0, right: float = 1.0) -> Matrix:
    """The channel mapping between two layouts without a channel list.

    Parameters
    ----------
    source, destination
        Layouts, like "stereo" or "discrete:8".
    left, right
        Linear gains of a mono signal onto L and R of a wider named layout: the pan law for a route, unity in a chain.

    Returns
    -------
    Matrix
        (destination channels, source channels).

    Notes
    -----
    Down-mix gains of centre and surrounds are −3 dB after ITU-R BS.775-4, annex 4; docs/reference/model.md,
    *Mapping*, has the rest.
    """
    rows, columns = channel_count(destination), channel_count(source)
    if source.startswith(DISCRETE) or destination.startswith(DISCRETE) or source == destination:
        return channel_to_channel(rows, columns)
    if source == "mono":
        return _to_matrix(rows, 1, {(0, 0): left, (1, 0): right})
    if destination == "mono":
        stereo = _fold_matrix(NAMED[source], NAMED["stereo"])
        return Matrix([tuple((stereo[0][column] + stereo[1][column]) / 2 for column in range(columns))])
    return _fold_matrix(NAMED[source], NAMED[destination])


@lru_cache(maxsize=4096)
def listed(source: str, destination: str, pairs: tuple[tuple[int, int], ...]) -> Matrix:
    """A channel list as a matrix.

    Parameters
    ----------
    source, destination
        Layouts.
    pairs
        (source channel, destination channel), both from 1; channels that a layout does not have are left out.

    Returns
    -------
    Matrix
        Unity at each pair: (destination channels, source channels).
    """
    rows, columns = channel_count(destination), channel_count(source)
    inside = {(to - 1, come - 1): 1.0 for come, to in pairs if come <= columns and to <= rows}
    return _to_matrix(rows, columns, inside)


@lru_cache(maxsize=256)
def panner_matrix(source: str, destination: str) -> Matrix:
    """A panner between different layouts: each input to every output but LFE, at 1/√n of the n outputs.

    The power of an input is preserved, wherever it is placed (docs/reference/checks.md, *Levels*).
    """
    names = channel_names(destination)
    spread = [row for row, name in enumerate(names) if name != "LFE"]
    gain = 1 / math.sqrt(len(spread))
    columns = channel_count(source)
    return _to_matrix(len(names), columns, {(row, column): gain for row in spread for column in range(columns)})


@lru_cache(maxsize=256)
def positioned_matrix(source: str, destination: str, positions: tuple[str | None, ...]) -> Matrix:
    """A panner whose inputs have positions: each goes to its output at unity, one without a position as before.

    Parameters
    ----------
    source, destination
        Its layouts.
    positions
        For each input the name of an output channel, or None; missing ones are None.
    """
    usual = panner_matrix(source, destination) if source != destination else mapping(source, source)
    rows = {name: row for row, name in enumerate(channel_names(destination))}
    placed = {column: rows[name] for column, name in enumerate(positions) if name is not None}
    entries = {(row, column): by for row, column, by in usual.entries if column not in placed}
    entries |= {(row, column): 1.0 for column, row in placed.items()}
    return _to_matrix(len(rows), channel_count(source), entries)


# Azimuths in degrees, to the left positive, as ITU-R BS.775-4 (stereo to 5.1) and BS.2051-3 (system I, 7.1) place
# loudspeakers; quad is common practice. LFE has no direction.
AZIMUTHS: dict[str, dict[str, float]] = {
    "mono": {"M": 0},
    "stereo": {"L": 30, "R": -30},
    "lcr": {"L": 30, "R": -30, "C": 0},
    "quad": {"L": 45, "R": -45, "Ls": 135, "Rs": -135},
    "5.0": {"L": 30, "R": -30, "C": 0, "Ls": 110, "Rs": -110},
    "5.1": {"L": 30, "R": -30, "C": 0, "Ls": 110, "Rs": -110},
    "7.1": {"L": 30, "R": -30, "C": 0, "Ls": 90, "Rs": -90, "Lrs": 135, "Rrs": -135},
}


def product(left: Matrix, right: Matrix) -> Matrix:
    """Matrix product left · right: `right` works first. O(entries of `left` · entries in a row of `right`)."""
    if right.is_identity:
        return left
    if left.is_identity:
        return right
    rows: list[list[tuple[int, float]]] = [[] for _ in right]
    for row, column, gain in right.entries:
        rows[row].append((column, gain))
    rows_out = [[0.0] * len(right[0]) for _ in left]
    for row, k, gain in left.entries:
        total = rows_out[row]
        for column, value in rows[k]:
            total[column] += gain * value
    return Matrix(map(tuple, rows_out))
