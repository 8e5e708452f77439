"""Outlets, parts, keys, midi, channels and physical connections against the rows of docs/reference/checks.md read one by one."""

from __future__ import annotations

from collections import Counter
from typing import Any

import msgspec
import networkx as nx
from hypothesis import given
from hypothesis import strategies as st

from lattice.checks import Finding, audit
from lattice.formats.document_json import to_plain
from lattice.model.document import Strip, Template
from lattice.model.validate import problems
from tests.core import brute
from tests.deep import tries
from tests.strategies import templates

WIDTH = {"mono": 1, "stereo": 2, "5.1": 6, "discrete:2": 2, "discrete:4": 4}
few = tries(150)


@st.composite
def wired(draw: st.DrawFn) -> Template:
    """Random templates with parts, midi reception, physical channels, external gear, channel lists and choices."""
    plain = {"strips": [], "routes": []} | to_plain(draw(templates()))
    for strip in plain["strips"]:
        if strip["kind"] in ("input", "output") and draw(st.booleans()):
            strip["io"] = draw(st.lists(st.integers(1, 10), min_size=1, max_size=2))
        if strip["kind"] == "instrument":
            outlets = [None, *(outlet["id"] for outlet in strip.get("outlets", []))]
            strip["midi"] = draw(st.sampled_from([None, {"ports": 1}, {"ports": 2, "channels": [1, 2]}]))
            strip["parts"] = [
                {
                    "id": f"p{n}",
                    "port": draw(st.integers(1, 2)),
                    "channel": draw(st.sampled_from([None, 1, 2])),
                    "outlet": draw(st.sampled_from(outlets)),
                }
                for n in range(draw(st.integers(0, 3)))
            ]
        for insert in strip.get("inserts", []):
            if insert["type"] == "gain" and draw(st.booleans()):
                insert |= {
                    "type": "external",
                    "io_out": draw(st.sampled_from([None, [1], [9, 10]])),
                    "io_in": draw(st.sampled_from([None, [2]])),
                }
            insert["layout_in"] = draw(st.sampled_from([None, None, "mono", "stereo", "5.1"]))
        if strip["kind"] == "bus" and draw(st.booleans()):
            strip["layout"] = draw(st.sampled_from(["discrete:2", "discrete:4"]))
    for route in plain["routes"]:
        if route["kind"] == "midi":
            route |= {"port": draw(st.sampled_from([None, 1, 2, 3])), "channel": draw(st.sampled_from([None, 1, 2, 3]))}
        elif route["kind"] in ("feed", "send") and draw(st.booleans()):
            route["channels"] = draw(st.sampled_from([None, [[1, 1]], [[1, 2], [2, 1]]]))
    members = [strip["id"] for strip in plain["strips"] if strip["kind"] in ("audio", "input")]
    if members:
        plain["choices"] = [{"id": "c", "name": "C", "members": members[:3], "sounding": 1}]
    made = msgspec.convert(plain, Template)
    refused = {int(said.split("[")[1].split("]")[0]) for said in problems(made) if said.startswith("routes[")}
    plain["routes"] = [route for number, route in enumerate(plain["routes"]) if number not in refused]
    made = msgspec.convert(plain, Template)
    return (
        made
        if not list(problems(made))
        else msgspec.structs.replace(made, strips=(), routes=(), stems=(), choices=(), sections=())
    )


def found(made: Template, code: str) -> list[Finding]:
    return [finding for finding in audit(made).findings if finding.code == code]


def midi_of(made: Template) -> list[Any]:
    return [route for route in made.routes if route.kind == "midi"]


def by_id(made: Template) -> dict[str, Strip]:
    return {strip.id: strip for strip in made.strips}


@given(wired())
@few
def test_outlets_that_nothing_or_more_than_one_takes(made: Template) -> None:
    stages = brute.Stages(made)
    taken: dict[tuple[str, str], set[str]] = {}
    keyed = {(r.from_strip, r.from_outlet) for r in made.routes if r.kind == "key"}
    for route in stages.audio:
        if route.from_outlet:
            taken.setdefault((route.from_strip, route.from_outlet), set()).add(route.to)
    lonely = {
        f"{strip.id}/{outlet.id}" for strip in made.strips if strip.in_service and not {"spare", "backup"} & set(strip.tags)
        for outlet in stages.side_outlets(strip) if outlet.open and (strip.id, outlet.id) not in {*taken, *keyed}
    }  # fmt: skip
    assert {f.outlets[0] for f in found(made, "route.outlet-unheard")} == lonely
    clashing = {f"{strip}/{outlet}" for (strip, outlet), heads in taken.items() if len(heads) > 1}
    assert {f.outlets[0] for f in found(made, "route.outlet-clash")} == clashing


@given(wired())
@few
def test_parts_that_are_not_heard_not_played_or_all_on_the_first_outlet(made: Template) -> None:
    stages = brute.Stages(made)
    unheard, unplayed, first = set(), set(), set()
    for strip in made.strips:
        kept = strip.in_service and not {"spare", "backup"} & set(strip.tags)
        playing = [r for r in midi_of(made) if r.to == strip.id and r.enabled]
        main = next(iter(strip.outlets), None)
        on = []
        for part in strip.parts:
            outlet = next((o for o in strip.outlets if o.id == part.outlet), main)
            on.append(outlet)
            start = (strip.id, "in own") if outlet is main else (strip.id, f"outlet {outlet.id}")
            ways = nx.descendants(stages.open, start) if start in stages.open else set()
            if kept and not ((outlet is None or outlet.open) and any(node[0] == "end" for node in ways)):
                unheard.add(f"{strip.id}/{part.id}")
            hears = any(
                (r.port or 1) == part.port and (r.channel is None or part.channel is None or r.channel == part.channel)
                for r in playing
            )
            if kept and playing and not hears:
                unplayed.add(f"{strip.id}/{part.id}")
        if len(on) > 1 and sum(o.open for o in strip.outlets) > 1 and all(o is main for o in on):
            first.add(strip.id)
    assert {f.others[0] for f in found(made, "part.unheard")} == unheard
    assert {f.others[0] for f in found(made, "part.unplayed")} == unplayed
    assert {f.strips[0] for f in found(made, "part.all-first")} == first


@given(wired())
@few
def test_keys_that_work_nothing_or_work_twice(made: Template) -> None:
    strips = by_id(made)
    inserts = {insert.id: insert for strip in made.strips for insert in strip.inserts}
    keys = [route for route in made.routes if route.kind == "key"]
    assert {f.routes[0] for f in found(made, "key.unheard")} == {
        r.id for r in keys if inserts[r.to_insert].key != "external"
    }
    assert {f.routes[0] for f in found(made, "key.dormant")} == {
        r.id for r in keys if inserts[r.to_insert].state != "on"
    }
    # Twice: from behind one keyed insert (its strip's pre, if something sounds) an open path leads to the other strip's
    # in.
    stages = brute.Stages(made)
    sounding = stages.reached_from_sources(stages.open) | {n for n in stages.open if str(n[1]).startswith("source")}
    awake = []
    for route in keys:
        tail = strips[route.from_strip]
        stage = brute.STAGE[route.tap]
        side = {outlet.id for outlet in stages.side_outlets(tail)}
        taps = (
            [f"outlet {route.from_outlet}"]
            if route.from_outlet in side
            else [f"{stage} own", *([f"{stage} fed"] if stages.monitors(tail) else [])]
        )
        is_open = route.enabled and (route.gain_db is not None or route.automated) and strips[route.to].in_service
        insert = inserts[route.to_insert]
        if (
            is_open
            and insert.key == "external"
            and insert.state == "on"
            and any((tail.id, tap) in sounding for tap in taps)
        ):
            awake.append(route)
    expected = set()
    for one in awake:
        for other in awake:
            if one.from_strip == other.from_strip and one.to != other.to:
                starts = [(one.to, f"pre {sound}") for sound in ("fed", "own") if (one.to, f"in {sound}") in sounding]
                ways = (
                    set().union(*(nx.descendants(stages.open, start) for start in starts if start in stages.open))
                    if starts
                    else set()
                )
                monitored = stages.monitors(strips[one.to]) or ("in own" in {s[1] for s in sounding if s[0] == one.to})
                if monitored and any((other.to, f"in {sound}") in ways for sound in ("fed", "own")):
                    expected.add((other.to_insert, one.to_insert))
    assert {f.inserts for f in found(made, "key.double")} == expected


@given(wired())
@few
def test_midi_ports_and_channels(made: Template) -> None:
    strips, machines = by_id(made), {machine.id: machine for machine in made.machines}
    beyond, filtered = set(), set()
    for route in midi_of(made):
        kit = strips[route.to]
        if kit.kind != "instrument":
            continue
        limits = [kit.midi.ports] if kit.midi else []
        if not kit.midi or (strips[route.from_strip].machine or "main") != (kit.machine or "main"):
            limits.append(machines[kit.machine or "main"].midi_ports)
        if (route.port or 1) > min(limits):
            beyond.add(route.id)
        if kit.midi and kit.midi.channels != "all" and route.channel and route.channel not in kit.midi.channels:
            filtered.add(route.id)
    assert {f.routes[0] for f in found(made, "midi.port-range")} == beyond
    assert {f.routes[0] for f in found(made, "midi.channel-filtered")} == filtered
    clashing = set()
    for one in midi_of(made):
        for other in midi_of(made):
            apart = one.from_strip != other.from_strip and one.to == other.to and strips[one.to].kind == "instrument"
            same = (one.port or 1) == (other.port or 1) and (
                None in (one.channel, other.channel) or one.channel == other.channel
            )
            sound = all(
                r.enabled and strips[r.from_strip].kind == "midi" and strips[r.from_strip].in_service
                for r in (one, other)
            )
            if apart and same and sound:
                clashing.add((one.to, one.port or 1))
    assert Counter(f.strips[0] for f in found(made, "midi.channel-clash")) == Counter(
        strip for strip, _port in clashing
    )
    assert found(made, "midi.full") == []  # three channels at most are drawn; the full port has an example of its own


def layouts(strip: Strip) -> list[tuple[Any, str, str, str]]:
    """(insert, layout before it, taken, given) along a chain."""
    at, found = strip.layout, []
    for insert in strip.inserts:
        taken = insert.layout_in or at
        found.append((insert, at, taken, insert.layout_out or taken))
        at = found[-1][3]
    return found


@given(wired())
@few
def test_physical_channels_widths_and_ties(made: Template) -> None:
    strips, machines = by_id(made), {machine.id: machine for machine in made.machines}
    uses = []
    for strip in made.strips:
        if strip.kind in ("input", "output") and strip.io:
            uses.append((strip, None, strip.kind, strip.io, WIDTH[strip.layout]))
        for insert, _before, taken, given_out in layouts(strip):
            if insert.type == "external":
                uses += [(strip, insert.id, "output", insert.io_out, WIDTH[taken])] if insert.io_out else []
                uses += [(strip, insert.id, "input", insert.io_in, WIDTH[given_out])] if insert.io_in else []
    wrong = {
        (strip.id, insert) for strip, insert, way, channels, width in uses
        if len(channels) != width or max(channels) > getattr(machines[strip.machine or "main"], f"{way}s")
    }  # fmt: skip
    assert {(f.strips[0], f.inserts[0] if f.inserts else None) for f in found(made, "io.range")} == wrong
    clashing = Counter()
    for at, (strip, insert, way, channels, _width) in enumerate(uses):
        for other_strip, other_insert, other_way, other_channels, _w in uses[at + 1 :]:
            alike = way == other_way and (strip.machine or "main") == (other_strip.machine or "main")
            inserts_in = way == "input" and (insert or other_insert)
            if (
                alike
                and not inserts_in
                and strip.in_service
                and other_strip.in_service
                and set(channels) & set(other_channels)
            ):
                clashing[way] += 1
    assert Counter("input" if f.severity == "note" else "output" for f in found(made, "io.clash")) == clashing
    wide = {insert.id for strip in made.strips for insert, before, taken, _out in layouts(strip) if taken != before}
    assert {f.inserts[0] for f in found(made, "route.width")} == wide
    broken = set()
    for route in made.routes:
        if route.kind == "tie":
            start = strips[route.from_strip]
            leaving = start.layout if route.tap == "pre-insert" or not start.inserts else layouts(start)[-1][3]
            if WIDTH[leaving] != WIDTH[strips[route.to].layout]:
                broken.add(route.id)
    assert {f.routes[0] for f in found(made, "tie.broken")} == broken


@given(wired())
@few
def test_channel_lists_and_choices(made: Template) -> None:
    strips = by_id(made)
    doubled, gaps = set(), set()
    for strip in made.strips:
        if not strip.layout.startswith("discrete"):
            continue
        fed: set[int] = set()
        listed: dict[int, set[tuple[str, str | None]]] = {}
        for route in made.routes:
            if route.to != strip.id or route.kind not in ("feed", "send", "tie"):
                continue
            start = strips[route.from_strip]
            side = route.from_outlet and route.from_outlet != start.outlets[0].id
            leaving = (
                2
                if side
                else WIDTH[start.layout if route.tap == "pre-insert" or not start.inserts else layouts(start)[-1][3]]
            )
            pairs = route.channels or [(n, n) for n in range(1, 65)]
            rows = {end for begin, end in pairs if begin <= leaving and end <= WIDTH[strip.layout]}
            fed |= rows
            for row in rows:
                listed.setdefault(row, set()).add((route.from_strip, route.from_outlet if side else None))
        if any(len(sources) > 1 for sources in listed.values()):
            doubled.add(strip.id)
        if fed and set(range(1, max(fed))) - fed:
            gaps.add(strip.id)
    assert {f.strips[0] for f in found(made, "route.channels-doubled")} == doubled
    assert {f.strips[0] for f in found(made, "route.channels-gap")} == gaps
    stages = brute.Stages(made)
    sounding = stages.reached_from_sources(stages.open)
    for choice in made.choices:
        heard = [
            member for member in choice.members
            if any((member, f"in {s}") in sounding and any(n[0] == "end" for n in nx.descendants(stages.open, (member, f"in {s}"))) for s in ("own", "fed"))
        ]  # fmt: skip
        assert bool(found(made, "choice.wrong")) == (len(heard) != choice.sounding)
