"""Bulk edits: each one undoable step, with the sound preserved if promised."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lattice.checks import audit
from lattice.edits import apply, diff
from lattice.errors import DocumentError
from lattice.gain_staging.gains import hops_gain
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.units import gain
from tests.build import template

VERB = {"type": "reverb", "wet": 0.25}
MADE = template(
    [
        {"id": "tom-1", "name": "Tom 1", "kind": "audio", "section": "drums", "inserts": [{"id": "tom-1-eq", "type": "eq"}, {"id": "v1", **VERB}]},
        {"id": "tom-2", "name": "Tom 2", "kind": "audio", "section": "drums", "colour": "#112233", "inserts": [{"id": "v2", **VERB}]},
        {"id": "bus", "name": "Drums", "kind": "bus", "section": "drums", "fader_db": -3.0},
        {"id": "keys-bus", "name": "Keys", "kind": "bus"},
        {"id": "sub", "name": "Sub", "kind": "bus", "fader_db": -2.0},
        {"id": "kit", "name": "Kit", "kind": "instrument", "section": "drums", "midi": {"ports": 2},
         "outlets": [{"id": "1"}, {"id": "2", "open": False}, {"id": "3"}],
         "parts": [{"id": "k", "name": "Kick", "outlet": "1"}, {"id": "s", "name": "Snare", "outlet": "2"}]},
        {"id": "notes", "name": "Notes", "kind": "midi"},
        {"id": "mic", "name": "Mic 1", "kind": "input", "io": [1]},
        {"id": "mix", "name": "Mix", "kind": "master", "inserts": [{"id": "glue", "type": "compressor"}, {"id": "cap", "type": "limiter"}]},
        {"id": "out", "name": "Out", "kind": "output"},
    ],
    ["tom-1>bus", "tom-2>bus -6", "bus>sub", "sub>mix -1", "keys-bus>mix", "mix>out", "key tom-1>mix/glue",
     {"kind": "midi", "from": "notes", "to": "kit", "channel": 15}, "mic>mix"],
    sections=[{"id": "drums", "name": "Drums", "bus": "bus", "colour": "#8a4b2d"}, {"id": "keys", "name": "Keys", "bus": "keys-bus"}],
)  # fmt: skip

SHARED = template(
    ["a:tom", "a:mic", "b:bus", "b:keys-bus", {"id": "hall", "name": "Hall", "kind": "return", "inserts": [VERB | {"id": "v"}]}],
    ["tom>bus", "mic>keys-bus", "send mic>hall -8", "send tom>hall -12 pre-fader", "hall>bus -2"],
    stems=[{"id": "st-drums", "name": "Drums", "strip": "bus"}, {"id": "st-keys", "name": "Keys", "strip": "keys-bus"}],
)  # fmt: skip


def strip(made: Template, strip_id: str) -> Any:
    return next(known for known in made.strips if known.id == strip_id)


def routes(
    made: Template, start: str | None = None, end: str | None = None
) -> list[tuple[str, str, str, float | None]]:
    return [
        (r.kind, r.from_strip, r.to, r.gain_db)
        for r in made.routes
        if start in (None, r.from_strip) and end in (None, r.to)
    ]


def test_duplicates_are_numbered_on_and_keep_their_routes() -> None:
    made = apply(MADE, "duplicate", {"strips": ["tom-1"], "times": 2})
    assert [s.name for s in made.strips][:4] == ["Tom 1", "Tom 2", "Tom 3", "Tom 4"]
    assert routes(made, "tom-3") == [("feed", "tom-3", "bus", 0.0), ("key", "tom-3", "mix", 0.0)]
    assert [insert.id for insert in strip(made, "tom-4").inserts] == ["tom-1-eq-3", "v1-3"]


def test_duplicates_take_the_next_free_channels() -> None:
    made = apply(MADE, "duplicate", {"strips": ["notes", "mic"], "times": 2})
    played = [(r.port, r.channel) for r in made.routes if r.to == "kit"]
    assert played == [(None, 15), (1, 1), (1, 2)]
    assert [s.io for s in made.strips if s.kind == "input"] == [(1,), (2,), (3,)]
    assert "midi.channel-clash" not in {finding.code for finding in audit(made).findings}


def test_a_section_is_duplicated_with_its_inner_routes() -> None:
    made = apply(MADE, "duplicate", {"strips": ["tom-1", "tom-2", "bus"]})
    assert routes(made, "tom-3") == [("feed", "tom-3", "drums-2", 0.0), ("key", "tom-3", "mix", 0.0)]
    assert routes(made, "drums-2") == [("feed", "drums-2", "sub", 0.0)]


def test_an_outlet_set_listens_opens_names_and_feeds() -> None:
    made = apply(MADE, "outlet_set", {"strip": "kit"})
    assert [s.name for s in made.strips][6:8] == ["Snare", "Kit 3"]
    assert all(outlet.open for outlet in strip(made, "kit").outlets)
    assert [(r.from_outlet, r.to) for r in made.routes if r.from_strip == "kit"] == [
        ("2", "snare"),
        ("3", "kit-3"),
        (None, "bus"),
    ]
    assert routes(made, "snare") == [("feed", "snare", "bus", 0.0)]
    heard = {finding.code for finding in audit(made).findings if "kit" in finding.strips}
    assert not heard & {"route.unheard", "route.outlet-unheard", "part.unheard", "route.blocked"}


def test_a_note_set_fills_sixteen_channels_and_goes_on_with_the_next_port() -> None:
    """MIDI 1.0: 16 channels a port."""
    made = apply(MADE, "note_set", {"strip": "kit", "names": [f"Voice {n}" for n in range(1, 21)]})
    played = [(r.port, r.channel) for r in made.routes if r.to == "kit" and r.from_strip != "notes"]
    assert played[:14] == [(1, channel) for channel in range(1, 15)]
    assert played[14:] == [(1, 16), *((2, channel) for channel in range(1, 6))]


def test_48_names_over_three_ports() -> None:
    choir = template([{"id": "choir", "kind": "instrument", "midi": {"ports": 3}}])
    made = apply(choir, "note_set", {"strip": "choir", "names": [f"Voice {n}" for n in range(48)]})
    assert {(r.port, r.channel) for r in made.routes} == {
        (port, channel) for port in (1, 2, 3) for channel in range(1, 17)
    }
    with pytest.raises(DocumentError, match="no free MIDI channel"):
        apply(choir, "note_set", {"strip": "choir", "names": ["x"] * 49})


def test_batch_routes_make_and_set() -> None:
    send = {"kind": "send", "to": "sub", "gain_db": -12.0, "tap": "pre-fader"}
    made = apply(MADE, "batch_routes", {"strips": ["tom-1", "tom-2", "sub"], "route": send})
    assert routes(made, None, "sub") == [
        ("feed", "bus", "sub", 0.0),
        ("send", "tom-1", "sub", -12.0),
        ("send", "tom-2", "sub", -12.0),
    ]
    louder = apply(made, "batch_routes", {"strips": ["tom-1", "tom-2"], "route": {**send, "gain_db": -6.0}})
    assert [gain_db for kind, *_ends, gain_db in routes(louder, None, "sub") if kind == "send"] == [-6.0, -6.0]
    assert len(louder.routes) == len(made.routes)


def test_untie_takes_away() -> None:
    made = apply(MADE, "untie", {"strips": ["tom-1", "tom-2"], "kinds": ["feed", "key"]})
    assert routes(made, "tom-1") == routes(made, "tom-2") == []


def test_a_chain_is_copied_to_many() -> None:
    made = apply(MADE, "batch_inserts", {"strips": ["bus", "sub", "notes"], "inserts": ["tom-1-eq", "glue"]})
    assert [insert.type for insert in strip(made, "sub").inserts] == ["eq", "compressor"]
    assert strip(made, "notes").inserts == ()


def test_moving_feeds_the_bus_of_the_new_section() -> None:
    made = apply(MADE, "move_and_refeed", {"strips": ["tom-2"], "section": "keys"})
    assert routes(made, "tom-2") == [("feed", "tom-2", "keys-bus", -6.0)]
    assert strip(made, "tom-2").section == "keys"


@pytest.mark.parametrize(
    ("pattern", "names"),
    [
        ("{section} {n:02}", ["Drums 01", "Drums 02"]),
        ("{name} dry", ["Tom 1 dry", "Tom 2 dry"]),
        ("T{n} {kind}/{layout}", ["T1 audio/mono", "T2 audio/mono"]),
    ],
)
def test_renaming_by_pattern(pattern: str, names: list[str]) -> None:
    made = apply(MADE, "rename", {"strips": ["tom-1", "tom-2"], "pattern": pattern})
    assert [known.name for known in made.strips[:2]] == names


def test_colours_and_numbers() -> None:
    made = apply(MADE, "colour_by_section", {"strips": ["tom-1", "tom-2"]})
    assert strip(made, "tom-2").colour is None
    made = apply(MADE, "number_channels", {"strips": ["mic", "out"], "first": 3})
    assert (strip(made, "mic").io, strip(made, "out").io) == ((3,), (4,))


def path_gain(made: Template, start: str, end: str) -> float:
    """Sum of the gains of all paths between two strips (mono, feeds and sends)."""
    from lattice.graph.paths import enumerate_paths

    graph = SignalGraph(made)
    found = enumerate_paths(graph, [(graph.index[start], -1)], {graph.index[end]}).paths
    return sum(
        float(np.array(g.matrix)[0, 0]) * gain(g.level_db) for g in (hops_gain(graph, p.routes, p.start) for p in found)
    )


def test_a_bus_put_in_between_changes_no_level_and_takes_inserts_with_their_keys() -> None:
    made = apply(MADE, "insert_bus", {"strips": ["sub", "keys-bus"], "to": "mix", "name": "Music", "inserts": ["glue"]})
    assert path_gain(made, "tom-2", "out") == pytest.approx(path_gain(MADE, "tom-2", "out"))
    assert [insert.id for insert in strip(made, "music").inserts] == ["glue"]
    assert ("key", "tom-1", "music", 0.0) in routes(made)
    assert routes(made, "music") == [("feed", "music", "mix", 0.0)]


def test_a_dissolved_bus_leaves_the_level_as_it_was() -> None:
    made = apply(MADE, "dissolve_bus", {"bus": "sub"})
    assert routes(made, "bus") == [("feed", "bus", "mix", -3.0)]
    assert path_gain(made, "tom-2", "out") == pytest.approx(path_gain(MADE, "tom-2", "out"))


def test_an_effect_becomes_a_return_with_sends_at_the_same_level() -> None:
    """Wet 25 %: the dry part at −2.50 dB, the send at −9.54 dB behind it (20·log10 of 3/4 and 1/3, arithmetic)."""
    made = apply(MADE, "insert_to_return", {"inserts": ["v1", "v2"], "name": "Hall", "feed": "bus"})
    assert [(k, s) for k, s, _e, _g in routes(made, None, "hall")] == [("send", "tom-1"), ("send", "tom-2")]
    assert routes(made, "tom-1", "hall")[0][3] == pytest.approx(-9.54, abs=0.005)
    assert routes(made, "tom-2", "hall")[0][3] == pytest.approx(-15.54, abs=0.005)
    assert [insert.wet for insert in strip(made, "hall").inserts] == [1.0]
    assert [insert.type for insert in strip(made, "tom-1").inserts] == ["eq", "gain"]
    assert strip(made, "tom-1").inserts[1].gain_db == pytest.approx(-2.50, abs=0.005)
    with pytest.raises(DocumentError, match="would change levels: Out would have"):
        apply(MADE, "insert_to_return", {"inserts": ["v1", "v2"], "name": "Hall", "feed": "mix"})


@pytest.mark.parametrize(
    ("edit", "arguments", "words"),
    [
        ("duplicate", {"strips": [], "times": 1}, "at least one strip"),
        ("duplicate", {"strips": ["tom-1"], "times": 0}, "1 to 200 copies"),
        ("outlet_set", {"strip": "tom-1"}, "has only its main outlet"),
        ("note_set", {"strip": "bus", "names": ["x"]}, "MIDI strips play instruments only"),
        (
            "batch_routes",
            {"strips": ["notes"], "route": {"kind": "feed", "to": "bus"}},
            "needs strips with audio",
        ),
        ("untie", {"strips": ["out"], "kinds": ["feed"]}, "none of these strips has this route"),
        ("batch_inserts", {"strips": ["bus"], "inserts": ["no"]}, "insert no does not exist"),
        ("move_and_refeed", {"strips": ["bus"], "section": "no"}, "section no does not exist"),
        ("rename", {"strips": ["bus"], "pattern": "{nam}"}, "is not a pattern"),
        ("rename", {"strips": ["bus"], "pattern": "{n:99999999}"}, "is not a pattern"),
        ("rename", {"strips": ["bus"], "pattern": "{name.__class__}"}, "is not a pattern"),
        ("rename", {"strips": ["bus"], "pattern": " "}, "gives a name outside"),
        ("number_channels", {"strips": ["bus"]}, "only inputs and outputs"),
        ("insert_bus", {"strips": ["tom-1"], "to": "mix", "name": "X"}, "none of these strips feeds Mix"),
        ("dissolve_bus", {"bus": "bus"}, "is the bus of a section"),
        ("dissolve_bus", {"bus": "mix"}, "cannot be removed"),
        ("insert_to_return", {"inserts": ["glue"], "name": "X", "feed": "mix"}, "only a reverb, delay or modulation"),
    ],
)
def test_refused_with_a_sentence(edit: str, arguments: dict[str, Any], words: str) -> None:
    with pytest.raises(DocumentError) as refused:
        apply(MADE, edit, arguments)
    assert words in "; ".join(refused.value.problems)


BULK: list[tuple[str, dict[str, Any]]] = [
    ("wire_up", {"strips": ["kit"]}),
    ("duplicate", {"strips": ["tom-1", "bus"], "times": 3}),
    ("duplicate_section", {"section": "drums", "times": 2}),
    ("lay_parts", {"strip": "kit"}),
    ("number_midi", {"instrument": "kit", "port": 2, "channel": 16}),
    ("outlet_set", {"strip": "kit"}),
    ("note_set", {"strip": "kit", "names": ["A", "B"]}),
    ("batch_routes", {"strips": ["tom-1"], "route": {"kind": "send", "to": "sub"}}),
    ("untie", {"strips": ["tom-1"], "kinds": ["key"]}),
    ("batch_inserts", {"strips": ["bus"], "inserts": ["glue", "cap"]}),
    ("move_and_refeed", {"strips": ["tom-1", "tom-2"], "section": "keys"}),
    ("rename", {"strips": ["bus"], "pattern": "{name} {n}"}),
    ("colour_by_section", {"strips": ["tom-2"]}),
    ("split_return", {"strip": "hall", "set": "main"}),
    ("number_channels", {"strips": ["mic"], "first": 5}),
    ("insert_bus", {"strips": ["sub"], "to": "mix", "name": "X"}),
    ("dissolve_bus", {"bus": "sub"}),
    ("insert_to_return", {"inserts": ["v1"], "name": "X", "feed": "bus"}),
    ("effect_to_return", {"strips": [strip.id for strip in MADE.strips], "type": "reverb", "to": "bus"}),
]


@pytest.mark.parametrize(("edit", "arguments"), BULK)
def test_each_is_one_step_that_can_be_taken_back_exactly(edit: str, arguments: dict[str, Any]) -> None:
    made = SHARED if edit == "split_return" else MADE
    after = apply(made, edit, arguments)
    assert after != made
    assert diff(made, after).inverse().apply(after) == made


def test_one_return_for_each_stem_keeps_levels_taps_and_inserts() -> None:
    after = apply(SHARED, "split_return", {"strip": "hall", "set": "main"})
    copy = strip(after, "hall-keys")
    assert (copy.name, copy.kind, [insert.type for insert in copy.inserts]) == ("Hall, Keys", "return", ["reverb"])
    assert routes(after, end="hall") == [("send", "tom", "hall", -12.0)]
    assert routes(after, end="hall-keys") == [("send", "mic", "hall-keys", -8.0)]
    assert routes(after, "hall-keys") == [("feed", "hall-keys", "keys-bus", -2.0)]
    assert "stem.leak" in {finding.code for finding in audit(SHARED).findings}
    assert "stem.leak" not in {finding.code for finding in audit(after).findings}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("change_strip", {"strip": "hall", "changes": {"kind": "bus"}}), "Hall is not a return"),
        (("untie", {"strips": ["mic"], "kinds": ["send"]}), "Hall receives no other stem"),
        (("add_route", {"route": {"kind": "send", "from": "keys-bus", "to": "hall"}}), "would feed back"),
    ],
)  # fmt: skip
def test_a_return_that_cannot_be_split_says_why(change: tuple[str, dict[str, Any]], words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        apply(apply(SHARED, *change), "split_return", {"strip": "hall", "set": "main"})
