"""Random small templates: every kind of strip, state, tap and route that may be."""

from __future__ import annotations

from typing import Any

import msgspec
from hypothesis import strategies as st

from lattice.model.document import Template
from lattice.model.validate import problems

SOUND = ("audio", "instrument", "input", "bus", "return", "master", "print", "output")
TAPS = ("pre-insert", "pre-fader", "post-fader")
TAGS = ("spare", "backup", "trigger", "click", "pop", "talkback")
sometimes = st.sampled_from([False, False, False, True])


@st.composite
def strips(draw: st.DrawFn, number: int) -> dict[str, Any]:
    kind = draw(st.sampled_from((*SOUND, "midi")))
    fields: dict[str, Any] = {
        "id": f"s{number}", "name": draw(st.sampled_from(["Kick", "kick", "bus 3", "Über", f"Strip {number}"])), "kind": kind,
        "mute": draw(sometimes), "in_service": not draw(sometimes), "fader_db": draw(st.sampled_from([0.0, -6.5, None])),
        "monitor": draw(st.sampled_from(["never", "when-armed", "always"])), "armed": draw(st.booleans()),
        "tags": draw(st.lists(st.sampled_from(TAGS), max_size=1)), "layout": draw(st.sampled_from(["mono", "stereo", "5.1"])),
        "section": draw(st.sampled_from([None, "one", "two"])), "machine": draw(st.sampled_from([None, None, "other"])),
    }  # fmt: skip
    if draw(sometimes):
        fields["source"] = None
    if kind == "instrument":
        count = draw(st.integers(0, 3))
        fields["outlets"] = [{"id": f"o{n}", "open": not draw(sometimes)} for n in range(count)]
    if kind != "midi" and draw(st.booleans()):
        key = draw(st.sampled_from(["none", "external"]))
        state = draw(st.sampled_from(["on", "bypassed", "unloaded"]))
        fields["inserts"] = [
            {
                "id": f"i{number}",
                "type": draw(st.sampled_from(["compressor", "gain", "reverb"])),
                "key": key,
                "state": state,
            }
        ]
    return fields


RULES = ("passes", "reaches", "lands-on", "pre-fader", "ducked-by", "not-ducked-by", "avoids", "isolated")


@st.composite
def rule(draw: st.DrawFn, number: int, strips_there: list[str]) -> dict[str, Any]:
    selectors = st.sampled_from(
        ["*", "section:one", "kind:audio", "kind:bus", "tag:click", *(f"strip:{s}" for s in strips_there)]
    )
    lists = st.lists(selectors, min_size=1, max_size=2)
    return {
        "id": f"rule{number}", "name": f"Rule {number}", "kind": draw(st.sampled_from(RULES)), "channels": [1],
        "sources": draw(lists), "through": draw(lists), "to": draw(lists),
    }  # fmt: skip


@st.composite
def templates(draw: st.DrawFn, most_strips: int = 7, most_routes: int = 12) -> Template:
    made = [draw(strips(number)) for number in range(draw(st.integers(1, most_strips)))]
    routes = []
    for number in range(draw(st.integers(0, most_routes))):
        start, end = draw(st.sampled_from(made)), draw(st.sampled_from(made))
        route: dict[str, Any] = {
            "id": f"r{number}", "from": start["id"], "to": end["id"], "kind": draw(st.sampled_from(["feed", "feed", "send", "key", "midi", "tie"])),
            "tap": draw(st.sampled_from(TAPS)), "enabled": not draw(sometimes), "gain_db": draw(st.sampled_from([0.0, -12.0, None])),
            "automated": draw(sometimes),
        }  # fmt: skip
        if route["kind"] == "key" and end.get("inserts"):
            route["to_insert"] = end["inserts"][0]["id"]
        if start.get("outlets") and route["kind"] != "midi" and draw(st.booleans()):
            route["from_outlet"] = draw(st.sampled_from(start["outlets"]))["id"]
        routes.append(route)
    sound = [strip for strip in made if strip["kind"] != "midi"]
    stems = [
        {
            "id": f"st{n}", "name": f"Stem {n}", "strip": draw(st.sampled_from(sound))["id"], "tap": draw(st.sampled_from(TAPS)),
            "role": draw(st.sampled_from(["stem", "stem", "mix", "composite"])), "set": draw(st.sampled_from(["main", "main", "other"])),
            "returns": draw(st.sampled_from(["own", "own", "all"])), "print": draw(st.sampled_from([None, *(s["id"] for s in sound)])),
            "of": [f"st{part}" for part in range(n)],
        }
        for n in range(draw(st.integers(0, 4)) if sound else 0)
    ]  # fmt: skip
    rules = [draw(rule(number, [strip["id"] for strip in made])) for number in range(draw(st.integers(0, 2)))]
    buses = [strip["id"] for strip in made if strip["kind"] == "bus"]
    whole: dict[str, Any] = {
        "name": "Random", "strips": made, "routes": routes, "stems": stems, "rules": rules,
        "machines": [{"id": "main", "name": "Main"}, {"id": "other", "name": "Other", "kind": draw(st.sampled_from(["computer", "outboard"]))}],
        "sections": [{"id": "one", "name": "One", "bus": draw(st.sampled_from([None, *buses]))}, {"id": "two", "name": "Two", "parent": draw(st.sampled_from([None, "one"]))}],
    }  # fmt: skip
    return _only_what_may_be(whole)


def _only_what_may_be(whole: dict[str, Any]) -> Template:
    """Drops routes that validation refuses; the rest is a valid document."""
    made = msgspec.convert(whole, Template)
    refused = {int(said.split("[")[1].split("]")[0]) for said in problems(made) if said.startswith("routes[")}
    kept = [route for number, route in enumerate(whole["routes"]) if number not in refused]
    made = msgspec.convert({**whole, "routes": kept}, Template)
    assert not list(problems(made))
    return made
