"""Channel matrices of chains and routes: the gain of one path, of one loop, of a group of loops.

A gain is a matrix (destination channels × source channels) and a level in dB beside it, so that long products of large
gains stay finite. Settings that only block are ignored here: an off fader or send counts as 0 dB in a computation of
its open gain.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from lattice.graph.signal_graph import IN, POST, SignalGraph
from lattice.model.document import Insert, Route, Strip, actual_latency_samples
from lattice.model.insert_types import REPEATING, SPREADING
from lattice.model.layouts import (
    Matrix,
    balance_gains,
    channel_count,
    listed,
    mapping,
    pan_gains,
    panner_matrix,
    positioned_matrix,
    product,
)
from lattice.model.units import SILENT_DB, decibels, gain

FEW_CHANNELS = 128  # up to here all eigenvalues of a group are computed; of a larger one the largest alone
# Maximum iterations for a large group: by then the value has converged as far as it will.
MOST_ROUNDS = 1_000


Carried = tuple[Any, float]  # an array of gains and its level in dB


class Gain(NamedTuple):
    """`matrix` times 10^(level_db/20)."""

    matrix: Matrix
    level_db: float

    def then(self, other: Gain) -> Gain:
        """The gain of this and then another one."""
        return Gain(product(other.matrix, self.matrix), self.level_db + other.level_db)


def identity(layout: str) -> Matrix:
    """Every channel of a layout straight on."""
    return mapping(layout, layout)


def insert_layouts(insert: Insert, before: str) -> tuple[str, str]:
    """Layouts of an insert.

    Parameters
    ----------
    insert
        The insert.
    before
        Layout of the stage before it.

    Returns
    -------
    tuple of str
        Layout in and layout out; a layout that the insert does not state is unchanged.
    """
    return insert.layouts(before)


def insert_level_db(insert: Insert) -> float:
    """Worst-case level of an insert, dB.

    20·log10(1 − w + w·g) for a wet part w at a gain g; 0 dB unless the insert is on. A delay with feedback f below 1
    multiplies the wet part by 1/(1 − f), the geometric series of its repeats (docs/reference/checks.md, *Levels*).
    """
    if insert.state != "on":
        return 0.0
    wet_db = insert.gain_db
    if insert.type in REPEATING and 0 < insert.feedback < 1:
        wet_db -= decibels(1 - insert.feedback)
    return wet_db if insert.wet == 1 else decibels(1 - insert.wet + insert.wet * gain(wet_db))


def insert_matrix(insert: Insert, before: str) -> tuple[Matrix, str]:
    """The channel mapping of an insert's layouts, without its level.

    Parameters
    ----------
    insert
        The insert.
    before
        Layout of the stage before it.

    Returns
    -------
    tuple of (Matrix, str)
        (channels behind, channels before), and the layout behind it.
    """
    layout_in, layout_out = insert_layouts(insert, before)
    matrix = mapping(before, layout_in)
    inside = inside_matrix(insert, layout_in, layout_out)
    return matrix if inside is None else product(inside, matrix), layout_out


def inside_matrix(insert: Insert, layout_in: str, layout_out: str) -> Matrix | None:
    """The channel matrix of an insert between its own layouts; None for channel to channel."""
    if insert.type in SPREADING and insert.state == "on":
        if insert.positions:
            return positioned_matrix(layout_in, layout_out, insert.positions)
        return panner_matrix(layout_in, layout_out) if layout_in != layout_out else None
    return mapping(layout_in, layout_out) if layout_in != layout_out else None


def chain_gain(strip: Strip, stage: int) -> Gain:
    """Worst-case gain from a strip's `in` to a stage of it.

    Parameters
    ----------
    strip
        The strip.
    stage
        IN, PRE or POST; the fader and the balance count at POST.

    Returns
    -------
    Gain
        (channels there, channels of the strip) and dB. O(inserts · entries of their matrices).
    """
    matrix, layout, level_db = identity(strip.layout), strip.layout, 0.0
    if stage != IN:
        for insert in strip.inserts:
            if insert.has_channels:
                inside, layout = insert_matrix(insert, layout)
                matrix = product(inside, matrix)
            level_db += insert_level_db(insert)
    if stage == POST:
        level_db += strip.fader_db or 0.0
        if layout == "stereo" and strip.pan:
            left, right = balance_gains(strip.pan)
            matrix = product(Matrix([(left, 0.0), (0.0, right)]), matrix)
    return Gain(matrix, level_db)


def route_gain(graph: SignalGraph, number: int) -> Gain:
    """Gain from a route's tap (or outlet) to the `in` of the strip it ends at.

    Parameters
    ----------
    graph
        The signal graph.
    number
        Position of an audio route.

    Returns
    -------
    Gain
        (channels of the strip it ends at, channels at its tap) and dB; a route at off counts as 0 dB.
    """
    route, head = graph.routes[number], graph.strips[graph.head[number]]
    tail = graph.strips[graph.tail[number]]
    layout = graph.layout_leaving(number)
    matrix = route_matrix_of(route, layout, tail, head.layout, graph.template.pan_law_db)
    return Gain(matrix, route.gain_db or 0.0)


def route_matrix(graph: SignalGraph, number: int) -> Matrix | None:
    """The channel mapping of a route, without its level; None for one to one."""
    route, head = graph.routes[number], graph.strips[graph.head[number]]
    layout = graph.leaving[number]
    if layout == head.layout and route.channels is None:
        return None
    return route_matrix_of(route, layout, graph.strips[graph.tail[number]], head.layout, graph.template.pan_law_db)


def reached_channels(channels: int, spreads: Sequence[int]) -> int:
    """The output channels of some channels through a matrix.

    Parameters
    ----------
    channels
        Source channels as bits from channel 1 up.
    spreads
        The `spread` of the matrix.

    Returns
    -------
    int
        Destination channels as bits.
    """
    found = 0
    while channels:
        found |= spreads[(channels & -channels).bit_length() - 1]
        channels &= channels - 1
    return found


def route_matrices(graph: SignalGraph) -> list[Matrix | None]:
    """`route_matrix` of every audio route, computed together; keys and MIDI have None."""
    strips, leaving, routes = graph.strips, graph.leaving, graph.routes
    law_db = graph.template.pan_law_db
    known: dict[tuple[str, str, float], Matrix] = {}
    matrices: list[Matrix | None] = [None] * len(routes)
    for route_number, (layout, head) in enumerate(zip(leaving, graph.head, strict=True)):
        destination = strips[head].layout
        if layout != destination:
            pan = pan_of(routes[route_number], strips[graph.tail[route_number]]) if layout == "mono" else 0.0
            matrix = known.get((layout, destination, pan))
            if matrix is None:
                sides = pan_gains(pan, law_db) if layout == "mono" and destination != "mono" else (1.0, 1.0)
                matrix = known[layout, destination, pan] = mapping(layout, destination, *sides)
            matrices[route_number] = matrix
    for route_number in graph.listed:
        route = routes[route_number]
        destination = strips[graph.head[route_number]].layout
        matrices[route_number] = listed(leaving[route_number], destination, route.channels or ())
    return matrices


def mixes_channels(graph: SignalGraph, number: int) -> bool:
    """Return whether a route adds two of its channels in one channel of its destination."""
    route = graph.routes[number]
    layout, destination = graph.leaving[number], graph.strips[graph.head[number]].layout
    if route.channels is not None:
        return _mixes(listed(layout, destination, route.channels))
    return layout != destination and _layouts_mix(layout, destination)


@lru_cache(maxsize=4096)
def _layouts_mix(layout: str, destination: str) -> bool:
    return _mixes(mapping(layout, destination))


def _mixes(matrix: Matrix) -> bool:
    return len({row for row, _column, _gain in matrix.entries}) < len(matrix.entries)


def pan_of(route: Route, tail: Strip) -> float:
    """The pan that a route from mono to wider uses: its strip's for a feed behind the fader, else its own."""
    follows_strip = route.kind == "feed" and route.tap == "post-fader" and route.from_outlet is None
    return tail.pan if follows_strip else route.pan


def route_matrix_of(route: Route, layout: str, tail: Strip, destination: str, law_db: float) -> Matrix:
    """An audio route's matrix from channels to channels, without its level.

    Parameters
    ----------
    route
        The route; it need not be in a template.
    layout, destination
        Layouts of its output and of its destination.
    tail
        The strip it leaves.
    law_db
        The template's pan law, dB.

    Returns
    -------
    Matrix
        (destination channels, channels that leave).
    """
    if route.channels is not None:
        return listed(layout, destination, route.channels)
    if layout != "mono" or destination == "mono":
        return mapping(layout, destination)
    return mapping(layout, destination, *pan_gains(pan_of(route, tail), law_db))


def hops_gain(graph: SignalGraph, routes: Iterable[int], start: int) -> Gain:
    """Gain from the `in` of a strip along audio routes to the `in` of the last strip.

    Parameters
    ----------
    graph
        The signal graph.
    routes
        Routes, each leaving the strip where the one before ends.
    start
        The strip that the first route leaves.
    """
    total = Gain(identity(graph.strips[start].layout), 0.0)
    for route in routes:
        tail = graph.strips[graph.tail[route]]
        total = total.then(chain_gain(tail, graph.stage[route])).then(route_gain(graph, route))
    return total


def spectral_radius(matrix: Sequence[Sequence[float]]) -> float:
    """Largest absolute eigenvalue of a square matrix of gains that are not negative.

    It is the gain of a round in the long run, channel by channel together (Perron and Frobenius). A triangular matrix
    has its eigenvalues on the diagonal, which covers nearly all loops of templates and needs no NumPy.
    """
    size = len(matrix)
    if all(matrix[row][column] == 0 for row in range(size) for column in range(row)):
        return max((matrix[n][n] for n in range(size)), default=0.0)  # triangular: eigenvalues on the diagonal
    import numpy as np  # noqa: PLC0415 - costs a third of a small audit, and most templates have no loop

    return float(np.abs(np.linalg.eigvals(np.array(matrix, dtype=float))).max())


def loop_gain_db(graph: SignalGraph, cycle: Sequence[int]) -> float:
    """Gain of one round of a cycle, dB.

    Parameters
    ----------
    graph
        The signal graph.
    cycle
        Audio routes, each leaving the strip where the one before ends; the last leads back to the first.

    Returns
    -------
    float
        The spectral radius of the product of all matrices, in dB, and all levels on the path; −∞ if no channel returns
        to itself.
    """
    around = hops_gain(graph, cycle, graph.tail[cycle[0]])
    radius = spectral_radius(around.matrix)
    return decibels(radius) + around.level_db if radius > 0 else SILENT_DB


def group_gain_db(graph: SignalGraph, group: Sequence[int], cycle: Sequence[int]) -> float:
    """Gain of one round of everything in a strongly connected group of audio routes together, dB.

    Parameters
    ----------
    graph
        The signal graph.
    group
        All routes of the group.
    cycle
        The cycle that is shown for it.

    Returns
    -------
    float
        Below 0 dB exactly where the group dies away.

    Notes
    -----
    If one strip is on every cycle of the group, a pass is from its `in` back to it: loops through one bus add up, two
    at −4 dB make +2.02 dB. Otherwise a pass has as many routes as the cycle: the spectral radius of the group's route
    matrix to that power. O(routes) or, for the second, O(channels³).
    """
    if len(group) == len(cycle):
        return loop_gain_db(graph, cycle)
    for strip in dict.fromkeys(graph.tail[route] for route in cycle):
        order = _order_without(graph, group, strip)
        if order is not None:
            return _first_return_db(graph, group, strip, order)
    return _power_db(graph, group, len(cycle))


def _order_without(graph: SignalGraph, group: Sequence[int], out: int) -> list[int] | None:
    """Strips of the group but `out`, in an order of the flow; None where they still make a loop."""
    degree: dict[int, int] = {}
    for route in group:
        for strip in (graph.tail[route], graph.head[route]):
            degree.setdefault(strip, 0)
        if graph.tail[route] != out:
            degree[graph.head[route]] += 1
    del degree[out]
    follow: dict[int, list[int]] = {}
    for route in group:
        if graph.tail[route] != out and graph.head[route] != out:
            follow.setdefault(graph.tail[route], []).append(graph.head[route])
    waiting, order = [strip for strip in degree if not degree[strip]], []
    while waiting:
        strip = waiting.pop()
        order.append(strip)
        for there in follow.get(strip, ()):
            degree[there] -= 1
            if not degree[there]:
                waiting.append(there)
    return order if len(order) == len(degree) else None


def _first_return_db(graph: SignalGraph, group: Sequence[int], strip: int, order: list[int]) -> float:
    import numpy as np  # noqa: PLC0415

    outs: dict[int, list[int]] = {}
    for route in group:
        outs.setdefault(graph.tail[route], []).append(route)
    channels = channel_count(graph.strips[strip].layout)
    arrived: dict[int, Carried] = {}
    back: list[Carried] = []
    for at in [strip, *order]:
        here = (np.eye(channels), 0.0) if at == strip else arrived.get(at)
        if here is None:
            continue
        for route in outs.get(at, ()):
            step = chain_gain(graph.strips[at], graph.stage[route]).then(route_gain(graph, route))
            came = (np.array(step.matrix) @ here[0], step.level_db + here[1])
            head = graph.head[route]
            if head == strip:
                back.append(came)
            else:
                arrived[head] = _added(arrived[head], came) if head in arrived else came
    total = back[0]
    for came in back[1:]:
        total = _added(total, came)
    radius = spectral_radius(total[0].tolist())
    return decibels(radius) + total[1] if radius > 0 else SILENT_DB


def _added(one: Carried, other: Carried) -> Carried:
    """Sum of two (matrix, level in dB), at the louder level."""
    level_db = max(one[1], other[1])
    return one[0] * gain(one[1] - level_db) + other[0] * gain(other[1] - level_db), level_db


def _power_db(graph: SignalGraph, group: Sequence[int], rounds: int) -> float:
    import numpy as np  # noqa: PLC0415

    steps = [
        (
            route,
            chain_gain(graph.strips[graph.tail[route]], graph.stage[route]).then(route_gain(graph, route)),
        )
        for route in group
    ]
    top_db = max(step.level_db for _route, step in steps)
    place: dict[int, int] = {}
    size = 0
    for strip in sorted({graph.tail[route] for route in group}):
        place[strip] = size
        size += channel_count(graph.strips[strip].layout)
    rows: list[int] = []
    columns: list[int] = []
    values: list[float] = []
    for route, step in steps:
        down, across, level = place[graph.head[route]], place[graph.tail[route]], gain(step.level_db - top_db)
        for row, column, by in step.matrix.entries:
            rows.append(down + row)
            columns.append(across + column)
            values.append(by * level)
    if size <= FEW_CHANNELS:
        whole = np.zeros((size, size))
        np.add.at(whole, (rows, columns), values)
        radius = float(np.abs(np.linalg.eigvals(whole)).max())
    else:
        radius = _radius_of_many(np.array(rows), np.array(columns), np.array(values), size)
    return (decibels(radius) + top_db) * rounds if radius > 0 else SILENT_DB


def _radius_of_many(rows: Any, columns: Any, values: Any, size: int) -> float:
    """Largest eigenvalue of a sparse matrix of gains that are not negative, by power iteration. O(entries · rounds).

    The shift keeps loops of one length (whose eigenvalues all have the same size) from going round for ever.
    """
    import numpy as np  # noqa: PLC0415

    vector = np.full(size, size**-0.5)
    radius, shift = 0.0, 0.0
    for _round in range(MOST_ROUNDS):
        new = np.bincount(rows, weights=values * vector[columns], minlength=size) + shift * vector
        length = float(np.linalg.norm(new))
        before, radius = radius, length - shift
        if length == 0 or abs(radius - before) <= 1e-12 * length:
            break
        vector = new / length
        shift = shift or length / 2
    return max(radius, 0.0)


def latency_samples(strip: Strip, stage: int) -> int:
    """The actual latency of a strip's inserts up to a stage, samples: measured if known, else as reported."""
    if stage == IN:
        return 0
    return sum(actual_latency_samples(insert) for insert in strip.inserts if insert.state != "unloaded")


def delays_ms(strip: Strip, stage: int) -> float:
    """The delay times of a strip's delay inserts that are on, up to a stage, ms."""
    if stage == IN:
        return 0.0
    return sum(insert.delay_ms or 0.0 for insert in strip.inserts if insert.type in REPEATING and insert.state == "on")
