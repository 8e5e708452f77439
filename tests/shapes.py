"""Templates of the shapes that cost most: every one a document of up to 300 strips and 3,500 routes.

Real templates are wide and shallow. These are extreme inputs that a user may still send: many paths between two strips,
every strip fed to every other, keys from all to all, countless channels. `tools/measure_shapes.py` times them and the
tests check that each is audited whole.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

import msgspec

from lattice.model.document import Template
from lattice.model.validate import validate

Strips = list[dict[str, Any]]
Routes = list[dict[str, Any]]


def _made(name: str, strips: Strips, routes: Routes, **fields: Any) -> Template:
    strips = [{"id": "src", "name": "Source", "kind": "audio", "layout": strips[0]["layout"]}, *strips]
    strips = [*strips, {"id": "out", "name": "Out", "kind": "output", "layout": strips[-1]["layout"]}]
    routes = [_feed("src", strips[1]["id"]), *routes, _feed(strips[-2]["id"], "out")]
    routes = [{"id": f"r{number}", **route} for number, route in enumerate(routes)]
    return validate(msgspec.convert({"name": name, "strips": strips, "routes": routes, **fields}, Template))


def _bus(name: str, layout: str = "stereo", **fields: Any) -> dict[str, Any]:
    return {"id": name, "name": name.upper(), "kind": "bus", "layout": layout, **fields}


def _feed(start: str, end: str, **fields: Any) -> dict[str, Any]:
    return {"kind": "feed", "from": start, "to": end, **fields}


def _wired(name: str, count: int, pairs: Callable[[int], Any], *, layout: str = "stereo", **route: Any) -> Template:
    """`count` buses, each fed to those that `pairs(number)` gives."""
    strips = [_bus(f"b{number}", layout) for number in range(count)]
    routes = [_feed(f"b{start}", f"b{end}", **route) for start in range(count) for end in pairs(start)]
    return _made(name, strips, routes)


def diamonds(count: int = 99, layout: str = "stereo") -> Template:
    """`count` diamonds in a chain: 2 to the power of `count` paths from the first strip to the last."""
    strips, routes = [_bus("d0", layout)], []
    for number in range(count):
        strips += [_bus(f"a{number}", layout), _bus(f"b{number}", layout), _bus(f"d{number + 1}", layout)]
        for side in "ab":
            routes += [_feed(f"d{number}", f"{side}{number}"), _feed(f"{side}{number}", f"d{number + 1}")]
    return _made("Diamonds", strips, routes)


def complete(count: int = 59) -> Template:
    """Every strip fed to every other."""
    return _wired("Complete", count, lambda start: [end for end in range(count) if end != start])


def dense(count: int = 83, layout: str = "stereo") -> Template:
    """Every strip fed to every later one."""
    return _wired("Dense", count, lambda start: range(start + 1, count), layout=layout)


def layered(width: int = 10, layers: int = 29, *, every_other_muted: bool = False) -> Template:
    """Layers of strips, each fed to all of the next layer."""
    strips = [
        _bus(f"l{layer}-{at}", mute=every_other_muted and at % 2 == 1) for layer in range(layers) for at in range(width)
    ]
    routes = [
        _feed(f"l{layer}-{start}", f"l{layer + 1}-{end}")
        for layer in range(layers - 1)
        for start in range(width)
        for end in range(width)
    ]
    return _made("Layered", strips, routes)


def keyed(count: int = 59) -> Template:
    """Every strip keys a compressor on every other, and all feed the last."""
    comp = {"type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 4.0}
    strips = [
        {"id": f"k{n}", "name": f"K{n}", "kind": "audio", "layout": "stereo", "inserts": [{"id": f"c{n}", **comp}]}
        for n in range(count)
    ]
    strips.append(_bus("sum"))
    routes = [_feed(f"k{n}", "sum") for n in range(count)]
    routes += [
        {"kind": "key", "from": f"k{start}", "to": f"k{end}", "to_insert": f"c{end}"}
        for start in range(count)
        for end in range(count)
        if start != end
    ]
    strips[0]["monitor"] = "always"
    return _made("Keyed", strips, routes)


def wide(count: int = 58) -> Template:
    """Strips of 64 and fewer channels in turn, densely fed: every route folds or spreads channels."""
    layouts = ("discrete:64", "discrete:63", "7.1", "discrete:64", "5.1", "discrete:32")
    strips = [_bus(f"w{number}", layouts[number % len(layouts)]) for number in range(count)]
    routes = [
        _feed(f"w{start}", f"w{end}", channels=_pairs(start) if start % 3 == 0 else None)
        for start in range(count)
        for end in range(start + 1, min(count, start + 6))
    ]
    return _made("Wide", strips, routes)


def _pairs(number: int) -> list[tuple[int, int]]:
    return [(channel, 1 + (channel * 7 + number) % 64) for channel in range(1, 65)]


def wide_dense(count: int = 83) -> Template:
    """The dense shape, 64 channels wide."""
    return dense(count, "discrete:64")


def spread_wide(count: int = 60) -> Template:
    """Panners that spread 64 channels over 8 and back, chained and crossed."""
    strips = []
    for number in range(count):
        panner = {"id": f"p{number}", "type": "panner", "layout_out": "7.1" if number % 2 else "discrete:64"}
        strips.append(_bus(f"s{number}", "discrete:64" if number % 2 else "7.1", inserts=[panner]))
    routes = [
        _feed(f"s{start}", f"s{end}") for start in range(count) for end in range(start + 1, min(count, start + 9))
    ]
    return _made("Spread wide", strips, routes)


def random_mixed(count: int = 290, routes: int = 3400, seed: int = 1) -> Template:
    """Feeds, sends and loops at random between strips of many layouts, with inserts that change the sound on some."""
    chance = random.Random(seed)  # noqa: S311 - repeatable shapes, no secret
    strips, pairs = [], []
    for number in range(count):
        kind, layout = chance.choice(("bus", "bus", "return", "master")), chance.choice(("stereo", "mono", "5.1"))
        inserts = [
            {"id": f"i{number}-{place}", "type": chance.choice(("eq", "reverb", "compressor", "gain", "delay"))}
            for place in range(chance.randint(0, 2))
        ]
        strips.append({**_bus(f"m{number}", layout), "kind": kind, "inserts": inserts, "mute": chance.random() < 0.1})
    for _ in range(routes):
        start, end = chance.sample(range(count), 2)
        if chance.random() < 0.97:
            start, end = sorted((start, end))
        pairs.append({**_feed(f"m{start}", f"m{end}"), "kind": chance.choice(("feed", "send"))})
    return _made("Random", strips, pairs)


def sends_everywhere(count: int = 81, seed: int = 2) -> Template:
    """Dense, half of the routes sends, half of the strips with an insert that changes the sound."""
    chance = random.Random(seed)  # noqa: S311 - repeatable shapes, no secret
    strips = [
        _bus(f"b{number}", inserts=[{"id": f"i{number}", "type": "eq"}] if chance.random() < 0.5 else [])
        for number in range(count)
    ]
    routes = [
        {**_feed(f"b{start}", f"b{end}"), "kind": chance.choice(("feed", "send"))}
        for start in range(count)
        for end in range(start + 1, count)
    ]
    return _made("Sends everywhere", strips, routes)


def many_sources(sources: int = 150, buses: int = 20) -> Template:
    """Sources that each feed and send to a row of crossed buses, taken as stems, with rules about all."""
    strips = [_bus(f"b{number}") for number in range(buses)]
    strips += [{"id": f"a{n}", "name": f"A{n}", "kind": "audio", "layout": "mono"} for n in range(sources)]
    routes = [_feed(f"a{n}", f"b{bus}", kind="send" if bus else "feed") for n in range(sources) for bus in range(buses)]
    routes += [_feed(f"b{start}", f"b{end}") for start in range(buses) for end in range(start + 1, buses)]
    strips.append(_bus("mix"))
    routes += [_feed(f"b{number}", "mix") for number in range(buses)]
    stems = [{"id": f"st{n}", "name": f"Stem {n}", "strip": f"b{n}", "returns": "own"} for n in range(buses)]
    stems.append({"id": "st-mix", "name": "Mix", "role": "mix", "strip": "mix"})
    rules = [
        {"id": f"rule-{kind}", "name": kind, "kind": kind, "sources": ["*"], "through": ["strip:b3"], "to": ["strip:mix"], "channels": [1]}
        for kind in ("passes", "reaches", "lands-on", "pre-fader", "ducked-by", "not-ducked-by", "avoids", "isolated")
    ]  # fmt: skip
    return _made("Many sources", strips, routes, stems=stems, rules=rules)


SHAPES: dict[str, Callable[[], Template]] = {
    "chained diamonds": diamonds,
    "chained diamonds in 7.1": lambda: diamonds(layout="7.1"),
    "complete": complete,
    "dense acyclic": dense,
    "dense in 7.1": lambda: dense(layout="7.1"),
    "layered": layered,
    "half muted": lambda: layered(every_other_muted=True),
    "keys from all to all": keyed,
    "changing layouts": wide,
    "64 channels wide": wide_dense,
    "spread wide": spread_wide,
    "random with loops": random_mixed,
    "sends everywhere": sends_everywhere,
    "many sources": many_sources,
}
