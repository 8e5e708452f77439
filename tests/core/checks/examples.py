"""For every code a template that has the finding and one, as near as can be, that has not.

`CASES[code] = (failing, about, passing)`: about is the first strip (or section) of the finding.
"""

from __future__ import annotations

from tests.build import template as t

KEYED = {"id": "b", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor", "key": "external"}]}
VERB = {"id": "v", "type": "reverb"}
SLEEPING = {
    "id": "b",
    "kind": "bus",
    "inserts": [{"id": "duck", "type": "compressor", "key": "external", "state": "bypassed"}],
}
DEAF = {"id": "b", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor"}]}
INNER = {"id": "x", "kind": "audio", "inserts": [{"id": "in-duck", "type": "gate", "key": "external"}]}
SECTION = {"id": "s", "name": "S", "bus": "bus", "colour": "#112233"}
PLAYER = {"id": "i", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]}


TWO = [{"id": "main", "name": "Main"}, {"id": "two", "name": "Two"}]


def _kit(**fields: object) -> dict:
    outlets = [{"id": "1"}, {"id": "2"}]
    return {"id": "i", "kind": "instrument", "outlets": outlets, **fields}


def _parts(*outlets: str | None, **fields: object) -> list[dict]:
    return [{"id": f"p{n}", "outlet": outlet, **fields} for n, outlet in enumerate(outlets)]


def _return(**fields: object) -> dict:
    return {"id": "y", "kind": "return", "inserts": [{"id": "v", "type": "reverb", **fields}]}


def _wide(name: str, layout: str, kind: str = "bus", **fields: object) -> dict:
    return {"id": name, "kind": kind, "layout": layout, **fields}


def _pair(start: str, end: str, *pairs: tuple[int, int]) -> dict:
    return {"from": start, "to": end, "channels": [list(pair) for pair in pairs]}


def _midi(start: str, end: str, **fields: object) -> dict:
    return {"kind": "midi", "from": start, "to": end, **fields}


def _ties(*into: list[int]) -> object:
    strips, routes = [], []
    for n, channels in enumerate(into):
        strips.append(
            {"id": f"o{n}", "kind": "output", "layout": "stereo", "machine": "two", "io": [2 * n + 1, 2 * n + 2]}
        )
        strips.append({"id": f"n{n}", "kind": "input", "layout": "stereo", "io": channels})
        routes.append(f"tie o{n}>n{n}")
    return t(strips, routes, machines=TWO)


def _in(spec: str, **fields: object) -> dict:
    head, _, name = spec.partition(":")
    return {"id": name, "kind": {"a": "audio", "b": "bus"}[head], "section": "s", **fields}


CASES = {
    "route.unheard": (t(["a:x", "o:out"]), "x", t(["a:x", "o:out"], ["x>out"])),
    "route.blocked": (t(["a:x mute", "o:out"], ["x>out"]), "x", t(["a:x mute", "o:out"], ["x>out pre-fader"])),
    "route.starved": (t(["a:x", "o:out off"], ["x>out"]), "out", t(["a:x", "p:out off"], ["x>out"])),
    "return.lows": (
        t(["a:x", {"id": "y", "kind": "return", "inserts": [VERB]}, "o:out"], ["send x>y -6", "y>out"]), "y",
        t(["a:x", {"id": "y", "kind": "return", "inserts": [{"id": "c", "type": "eq", "low_cut_hz": 250.0}, VERB]}, "o:out"], ["send x>y -6", "y>out"]),
    ),
    "panner.width": (
        t(["a:x", {"id": "y", "kind": "bus", "inserts": [{"id": "p", "type": "panner", "layout_out": "5.1"}]}, {"id": "m", "kind": "master", "layout": "stereo"}], ["x>y", "y>m"]), "y",
        t(["a:x", {"id": "y", "kind": "bus", "inserts": [{"id": "p", "type": "panner", "layout_out": "5.1"}]}, {"id": "m", "kind": "master", "layout": "5.1"}], ["x>y", "y>m"]),
    ),
    "panner.order": tuple(
        made
        for first, second in ((2, 1), (1, 2))
        for made in (
            t(["a:l", "a:r", {"id": "y", "kind": "bus", "layout": "stereo", "inserts": [{"id": "p", "type": "panner", "layout_out": "5.1"}]}, "o:out"],
              [{"from": "l", "to": "y", "channels": [[1, first]]}, {"from": "r", "to": "y", "channels": [[1, second]]}, "y>out"]),
            "y",
        )
    )[:3],
    "route.unfed": (t(["b:x"]), "x", t(["a:y spare", "b:x", "o:out"], ["y>x", "x>out"])),
    "route.dead-end": (t(["a:x", "b:y"], ["x>y"]), "y", t(["a:x", "b:y", KEYED], ["x>y", "key y>b/duck"])),
    "route.outlet-unheard": (t([PLAYER, "o:out"], ["i>out"]), "i", t([PLAYER, "o:out"], ["i>out", "i/2>out"])),
    "route.trigger-heard": (
        t(["a:x trigger", "o:out"], ["x>out"]), "x",
        t(["a:x trigger", "p:out", KEYED], ["x>out", "key x>b/duck"]),
    ),
    "route.double-path": (
        t(["a:x", "b:y", "x:m", "o:out"], ["x>y", "y>m", "x>m", "m>out"]), "x",
        t(["a:x", {"id": "y", "kind": "return", "inserts": [VERB]}, "x:m", "o:out"], ["send x>y -6", "y>m", "x>m", "m>out"]),
    ),
    "section.stray": (
        t([_in("a:x"), "b:bus", "x:m", "o:out"], ["x>m", "m>out"], sections=[SECTION]), "x",
        t([_in("a:x"), "b:bus", "x:m", "o:out"], ["x>bus", "bus>m", "m>out"], sections=[SECTION]),
    ),
    "section.private": (
        t([_in("a:x"), _in("b:cue"), "x:m", "o:out"], ["x>cue", "cue>m", "m>out"], sections=[{**SECTION, "bus": None, "private": True}]),
        "x",
        t([_in("a:x"), _in("b:cue"), "o:out", "a:y", {"id": "phones", "name": "Phones", "kind": "output"}], ["x>cue", "cue>phones", "y>out"],
          sections=[{**SECTION, "bus": None, "private": True}]),
    ),
    "route.outlet-clash": (
        t([_kit(), "b:x", "b:y"], ["i/2>x", "i/2>y"]), "i",
        t([_kit(), "b:x", "b:y"], ["i/2>x", "send i/2>x -6", "i>x", "i>y"]),
    ),
    "part.unheard": (
        t([_kit(outlets=[{"id": "1"}, {"id": "2", "open": False}], parts=_parts("2")), "o:out"], ["i>out", "i/2>out"]), "i",
        t([_kit(parts=_parts("2")), "o:out"], ["i>out", "i/2>out"]),
    ),
    "part.unplayed": (
        t(["m:n", _kit(parts=_parts("1", channel=2))], [_midi("n", "i", channel=1)]), "i",
        t(["m:n", _kit(parts=_parts("1", channel=2))], [_midi("n", "i")]),
    ),
    "part.all-first": (t([_kit(parts=_parts("1", None))]), "i", t([_kit(parts=_parts("1", "2"))])),
    "choice.wrong": (
        t(["a:x", "a:y", "o:out"], ["x>out", "y>out"], choices=[{"id": "c", "name": "Mics", "members": ["x", "y"]}]), "x",
        t(["a:x", "a:y mute", "o:out"], ["x>out", "y>out"], choices=[{"id": "c", "name": "Mics", "members": ["x", "y"]}]),
    ),
    "route.dry-return": (t([_return(wet=0.5)]), "y", t([_return(wet=0.5, state="bypassed")])),
    "route.return-bare": (
        t(["a:x", _return(state="bypassed")], ["send x>y"]), "y",
        t(["a:x", _return(state="on")], ["send x>y"]),
    ),
    "route.folded": (
        t([_wide("x", "5.1"), _wide("y", "stereo")], ["x>y"]), "x",
        t([_wide("x", "stereo"), _wide("y", "5.1"), _wide("z", "discrete:1")], ["x>y", "y>z"]),
    ),
    "route.channels-lost": (
        t([_wide("x", "stereo", "audio"), _wide("y", "stereo")], [_pair("x", "y", (1, 1))]), "x",
        t([_wide("x", "stereo", "audio"), _wide("y", "stereo"), _wide("z", "mono", "audio")], [_pair("z", "y", (1, 2))]),
    ),
    "route.channels-doubled": (
        t(["a:x", "a:y", _wide("d", "discrete:4")], [_pair("x", "d", (1, 1)), _pair("y", "d", (1, 1))]), "d",
        t(["a:x", "a:y", _wide("d", "discrete:4")], [_pair("x", "d", (1, 1)), _pair("y", "d", (1, 2))]),
    ),
    "route.channels-gap": (
        t(["a:x", _wide("d", "discrete:4")], [_pair("x", "d", (1, 3))]), "d",
        t(["a:x", _wide("d", "discrete:4")], [_pair("x", "d", (1, 1))]),
    ),
    "route.width": (
        t([_wide("x", "mono", inserts=[{"id": "w", "layout_in": "stereo"}])]), "x",
        t([_wide("x", "mono", inserts=[{"id": "w", "layout_in": "mono", "layout_out": "stereo"}])]),
    ),
    "io.range": (
        t([_wide("x", "stereo", "output", io=[8, 9])]), "x",
        t([_wide("x", "stereo", "output", io=[7, 8])]),
    ),
    "io.clash": (
        t([_wide("x", "stereo", "output", io=[1, 2]), _wide("y", "stereo", "output", io=[2, 3])]), "x",
        t([_wide("x", "stereo", "output", io=[1, 2]), _wide("y", "stereo", "output", io=[2, 3], in_service=False)]),
    ),
    "tie.broken": (
        t([_wide("x", "stereo", "output", machine="two"), _wide("y", "mono", "input")], ["tie x>y"], machines=TWO), "x",
        t([_wide("x", "mono", "output", machine="two"), _wide("y", "mono", "input")], ["tie x>y"], machines=TWO),
    ),
    "tie.offset": (_ties([1, 2], [5, 6]), "o1", _ties([3, 4], [5, 6])),
    "key.unfed": (
        t(["a:x mute", KEYED], ["key x>b/duck"]), "b",
        t(["a:x mute", KEYED], ["key x>b/duck pre-fader"]),
    ),
    "key.unheard": (t(["a:x", DEAF], ["key x>b/duck"]), "b", t(["a:x", KEYED], ["key x>b/duck"])),
    "key.dormant": (t(["a:x", SLEEPING], ["key x>b/duck"]), "b", t(["a:x", KEYED], ["key x>b/duck"])),
    "key.self": (
        t(["a:x", KEYED], ["x>b", "key x>b/duck"]), "b",
        t(["a:x", "a:y", "b:z", KEYED], ["x>b", "x>z", "y>z", "key z>b/duck"]),
    ),
    "key.double": (
        t([INNER, "a:k", KEYED, "o:out"], ["x>b", "b>out", "key k>b/duck", "key k>x/in-duck"]), "b",
        t([INNER, "a:k", KEYED, "o:out"], ["x>out", "b>out", "key k>b/duck", "key k>x/in-duck"]),
    ),
    "midi.no-instrument": (t(["m:n", "i:i"], ["midi n>i disabled"]), "n", t(["m:n", "i:i"], ["midi n>i"])),
    "midi.unplayed": (t(["m:n", "i:i", "i:j"], [_midi("n", "j")]), "i", t(["i:i"])),
    "midi.port-range": (
        t(["m:n", _kit(midi={"ports": 1})], [_midi("n", "i", port=2)]), "i",
        t(["m:n", _kit(midi={"ports": 2})], [_midi("n", "i", port=2)]),
    ),
    "midi.channel-filtered": (
        t(["m:n", _kit(midi={"channels": [1, 2]})], [_midi("n", "i", channel=3)]), "i",
        t(["m:n", _kit(midi={"channels": [1, 2]})], [_midi("n", "i", channel=2)]),
    ),
    "midi.channel-clash": (
        t(["m:n", "m:l", "i:i"], [_midi("n", "i", channel=3), _midi("l", "i")]), "i",
        t(["m:n", "m:l", "i:i"], [_midi("n", "i", channel=3), _midi("l", "i", channel=4)]),
    ),
    "midi.full": (
        t([*(f"m:n{n}" for n in range(16)), "i:i"], [_midi(f"n{n}", "i", channel=n + 1) for n in range(16)]), "i",
        t([*(f"m:n{n}" for n in range(15)), "i:i"], [_midi(f"n{n}", "i", channel=n + 1) for n in range(15)]),
    ),
    "loop.audio": (t(["b:x", "b:y"], ["x>y", "y>x"]), "x", t(["b:x", "b:y"], ["x>y"])),
    "loop.key": (
        t(["a:x", KEYED, "o:out"], ["x>b", "b>out", "key b>b/duck"]), "b",
        t(["a:x", KEYED, "o:out"], ["x>b", "b>out", "key x>b/duck"]),
    ),
    "loop.midi": (t(["m:x", "m:y"], ["midi x>y", "midi y>x"]), "x", t(["m:x", "m:y"], ["midi x>y"])),
    "loop.insert": (
        t([{"id": "x", "kind": "return", "inserts": [{"id": "d", "type": "delay", "feedback": 1.0}]}]), "x",
        t([{"id": "x", "kind": "return", "inserts": [{"id": "d", "type": "delay", "feedback": 0.99}]}]),
    ),
    "name.duplicate": (t([{"id": "x", "name": "Kick", "kind": "bus"}, {"id": "y", "name": "kick ", "kind": "bus"}]), "x", t(["b:x", "b:y"])),
    "name.default": (t([{"id": "x", "name": "Audio 12", "kind": "audio"}]), "x", t([{"id": "x", "name": "Audio 12 dry", "kind": "audio"}])),
    "section.colour": (
        t([_in("a:x", colour="#112234"), "b:bus"], sections=[SECTION]), "x",
        t([_in("a:x", colour="#112233"), "b:bus"], sections=[SECTION]),
    ),
    "section.empty": (
        t(["b:bus"], sections=[SECTION]), "s",
        t([_in("a:x", section="inner"), "b:bus"], sections=[SECTION, {"id": "inner", "name": "Inner", "parent": "s"}]),
    ),
}  # fmt: skip
