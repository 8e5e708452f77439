"""For every code a template that has the finding and one, as near as can be, that has not.

`CASES[code] = (failing, about, passing)`: about is the first strip (or section) of the finding.
"""

from __future__ import annotations

from tests.build import template as t

KEYED = {"id": "b", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor", "key": "external"}]}
VERB = {"id": "v", "type": "reverb"}
SECTION = {"id": "s", "name": "S", "bus": "bus", "colour": "#112233"}
PLAYER = {"id": "i", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]}


def _in(spec: str, **fields: object) -> dict:
    head, _, name = spec.partition(":")
    return {"id": name, "kind": {"a": "audio", "b": "bus"}[head], "section": "s", **fields}


CASES = {
    "route.unheard": (t(["a:x", "o:out"]), "x", t(["a:x", "o:out"], ["x>out"])),
    "route.blocked": (t(["a:x mute", "o:out"], ["x>out"]), "x", t(["a:x mute", "o:out"], ["x>out pre-fader"])),
    "route.starved": (t(["a:x", "o:out off"], ["x>out"]), "out", t(["a:x", "p:out off"], ["x>out"])),
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
