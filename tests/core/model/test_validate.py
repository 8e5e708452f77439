"""Invalid documents, and their messages: the place and a sentence, all problems at once."""

from __future__ import annotations

import json
from typing import Any

import pytest

from lattice.errors import DocumentError
from lattice.formats.document_json import load
from tests.build import plain

COMP = {"id": "b", "kind": "bus", "inserts": [{"id": "comp", "type": "compressor"}, {"id": "tone", "type": "eq"}]}
TWO_MACHINES = [{"id": "main", "name": "Main"}, {"id": "other", "name": "Other"}]


def said(document: Any) -> tuple[str, ...]:
    with pytest.raises(DocumentError) as refused:
        load(document if isinstance(document, bytes) else json.dumps(document).encode())
    return refused.value.problems


@pytest.mark.parametrize(
    ("document", "words"),
    [
        (plain(["a:x", "b:x"]), "strips[1].id: x is already used by strips[0]"),
        (plain([{"id": "X", "kind": "audio"}]), 'strips[0].id: "X" is not an ID'),
        (
            plain([{"id": "n", "kind": "midi"}], [{"kind": "feed", "from": "n", "to": "n"}]),
            "routes[0]: a feed needs strips with audio; n is of kind midi",
        ),
        (plain(["a:x"], ["x>y"]), "routes[0].to: strip y does not exist"),
        (plain([], ["x>y"]), "routes[0].from: strip x does not exist"),
        (plain([{"id": "x", "kind": "audio", "section": "no"}]), "strips[0].section: section no does not exist"),
        (plain([{"id": "x", "kind": "audio", "machine": "no"}]), "strips[0].machine: machine no does not exist"),
        (plain([{"id": "x", "kind": "audio", "pan": 2}]), "strips[0].pan: 2 is above 1"),
        (plain([{"id": "x", "kind": "audio", "layout": "6.1"}]), 'strips[0].layout: "6.1" is not a layout'),
        (plain([{"id": "x", "kind": "audio", "layout": "discrete:65"}]), "is not a layout"),
        (plain([{"id": "x", "kind": "drum"}]), 'strips[0].kind: "drum" is not one of'),
        (plain([{"id": "x", "kind": "audio", "colour": "red"}]), "is not a colour like #8a4b2d"),
        (plain([{"id": "x", "kind": "audio", "inserts": [{"id": "i", "ratio": 0}]}]), "inserts[0].ratio: 0 is not above 0"),
        (plain([{"id": "x", "kind": "audio", "inserts": [{"id": "i"}, {"id": "i"}]}]), "inserts[1].id: i is already used"),
        (plain([{"id": "x", "kind": "audio", "outlets": [{"id": "o"}]}]), "only an instrument has outlets"),
        (plain([{"id": "x", "kind": "instrument", "parts": [{"id": "p", "outlet": "no"}]}]), "x has no outlet no"),
        (plain([{"id": "x", "kind": "instrument", "midi": {"channels": [17]}}]), "midi.channels[0]: 17 is above 16"),
        (plain(["a:x"], sections=[{"id": "s", "name": "S", "parent": "s"}]), "s would be inside itself"),
        (plain(["a:x"], sections=[{"id": "s", "name": "S", "bus": "no"}]), "sections[0].bus: strip no does not exist"),
        (plain(["a:x"], stems=[{"id": "st", "name": "S"}]), "stems[0]: the field strip is missing"),
        (plain(["a:x"], rules=[{"id": "p", "name": "P", "kind": "avoids", "to": ["strip:no"]}]), "strip no does not exist"),
        (plain(["a:x"], rules=[{"id": "p", "name": "P", "kind": "avoids", "to": ["x"]}]), "is not strip:ID"),
        (plain(["a:x"], choices=[{"id": "c", "name": "C", "members": ["x/1"]}]), "x has no outlet 1"),
        (plain(["a:x"], pan_law_db=-3.5), "pan_law_db: -3.5 is not one of 0, -2.5, -3, -4.5, -6"),
        (plain(["a:x"], machines=[]), "at least one machine is required"),
        (plain(["a:x"], colour="red"), "colour: unknown field"),
        (plain(["a:x"], sample_rate_hz=100), "sample_rate_hz: 100 is below 8000"),
        (plain(["a:x"], buffer_samples=256.5), "buffer_samples: expected a whole number, found 256.5"),
        (plain(["m:x", "b:y"], ["x>y"]), "a feed needs strips with audio; x is of kind midi"),
        (plain(["a:x", COMP], ["key x>b"]), "to_insert is missing"),
        (plain(["a:x", COMP], ["key x>b/tone"]), "tone is of type eq and cannot be keyed"),
        (plain(["a:x", COMP], ["key x>b/no"]), "b has no insert no"),
        (plain(["a:x", COMP], ["x>b/comp"]), "only a key ends at an insert"),
        (plain(["a:x", "b:y"], ["midi x>y"]), "a MIDI route starts at a MIDI strip"),
        (plain(["a:x", "o:y"], ["tie y>x"]), "a tie ends at an input"),
        (plain(["n:x", "o:y"], ["tie y>x"]), "a tie joins two machines"),
        (plain([{"id": "x", "kind": "audio", "machine": "other"}, "b:y"], ["x>y"], machines=TWO_MACHINES), "a feed stays on one machine"),
        (plain(["a:x", "b:y"], ["x/1>y"]), "x has no outlet 1"),
        (b"", "the document is empty"),
        (b"[]", "is not an object"),
        (b'{"format": "other", "name": "x"}', 'format: "other" is not intact-lattice.template'),
        (b'{"version": 2, "name": "x"}', "version: 2 is not one of 1"),
        (b'{"name": "x",\n "tempo_bpm": NaN}', "line 2 column 15"),
        (b'{"name": "x", "tempo_bpm": 1e999}', "tempo_bpm: is not a finite number"),
        (b'{"name": "x", "tempo_bpm": ' + b"9" * 400 + b"}", "tempo_bpm: is not a finite number"),
        (b'{"name": "x"', "the JSON ends too early"),
        (b"[" * 100_000, "nested too deeply"),
        (b'{"name": "caf\xe9"}', "not UTF-8 text: byte 13 is 0xe9"),
        (b'{"name": "x", "strips": [' + b'{"id":"a","name":"A","kind":"bus"},' * 100_001 + b'{}]}', "at most 100000 are allowed"),
    ],
)  # fmt: skip
def test_refused_with_place_and_sentence(document: Any, words: str) -> None:
    problems = said(document)
    assert any(words in problem for problem in problems), problems


def test_all_problems_are_said_at_once_whatever_their_kind() -> None:
    document = plain(
        [{"id": "x", "kind": "audio", "pan": 2, "zz": 1}, {"id": "y", "kind": "bus", "section": "no"}, {"id": "z", "kind": "noise"}],
        ["x>nowhere", "y>x", {"kind": "tie", "from": "y", "to": "y"}],
        stems=[{"id": "st", "name": "S", "strip": "lost"}],
    )  # fmt: skip
    problems = "\n".join(said(document))
    for words in (
        "strips[0].pan",
        "strips[0].zz",
        "strips[1].section",
        "strips[2].kind",
        "routes[0].to",
        "a tie starts",
        "lost",
    ):
        assert words in problems


def test_a_document_of_more_than_64_mib_is_refused_unread() -> None:
    assert said(b" " * (64 * 1024 * 1024 + 1)) == ("the document has 64 MiB; at most 64 are allowed",)


INSTRUMENT_END = "a feed ends at audio, bus, return, master, print, output; x is of kind {}"


@pytest.mark.parametrize("kind", ["instrument", "input"])
def test_feeds_and_sends_do_not_end_at_what_plays(kind: str) -> None:
    made = plain([{"id": "a", "kind": "audio"}, {"id": "x", "kind": kind}, "o:o"], ["a>x", "x>o"])
    assert said(made) == (f"routes[0]: {INSTRUMENT_END.format(kind)}",)


@pytest.mark.parametrize("word", ["feed", "send"])
def test_only_ties_leave_an_output(word: str) -> None:
    made = plain(["a:x", "o:o", "b:b"], ["x>o", f"{word} o>b"])
    assert said(made) == (
        f"routes[1]: a {word} cannot start at an output; from o only a tie can, to an input of a different machine",
    )


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"fader_db": 201}, "strips[0].fader_db: 201 is above 200"),
        ({"fader_db": -200.5}, "strips[0].fader_db: -200.5 is below -200"),
        ({"name": "a\u0007b"}, "strips[0].name: contains a control character, U+0007"),
        ({"name": "a\u0085b"}, "strips[0].name: contains a control character, U+0085"),
        ({"name": "two\nlines"}, "strips[0].name: contains a control character, U+000A"),
        ({"note": "a\u0000b"}, "strips[0].note: contains a control character, U+0000"),
        ({"tags": ["a\ufffe"]}, "strips[0].tags[0]: contains a control character, U+FFFE"),
        ({"kind": "\ud800"}, "the document contains half of a surrogate pair"),
    ],
)
def test_levels_have_bounds_and_text_no_control_characters(fields: dict[str, Any], words: str) -> None:
    assert any(problem.startswith(words) for problem in said(plain([{"id": "x", "kind": "audio", **fields}])))


def test_names_of_channels_and_pairs_for_file_tags_are_texts_as_well() -> None:
    machines = [{"id": "main", "name": "Main", "input_names": {"1": "a\u0001"}}]
    assert "machines[0].input_names.1: contains a control character" in said(plain(["a:x"], machines=machines))[0]
    assert "info: a field name contains a control character" in said(plain(["a:x"], info={"a\u0001": "b"}))[0]


@pytest.mark.parametrize("note", ["first\nsecond", "tab\there", "“quoted” \\ and / slashes"])
def test_notes_have_lines(note: str) -> None:
    assert load(json.dumps(plain([{"id": "x", "kind": "audio", "note": note}])).encode()).strips[0].note == note


class TestLimits:
    """Refusals cost little: limits apply during reading, and a hundred problems are reported."""

    def test_a_hundred_problems_are_said_and_the_rest_counted(self) -> None:
        problems = said({"name": "x", "strips": [1] * 16_000})
        assert len(problems) == 101
        assert problems[-1] == "and more than 10 000 more problems"
        assert said({"name": "x", "strips": [1] * 130})[-1] == "and 30 more problems"

    def test_more_entries_than_are_allowed_are_not_looked_at(self) -> None:
        assert said({"name": "x", "strips": [1] * 100_001}) == ("strips: 100001 strips; at most 100000 are allowed",)

    def test_of_a_large_document_the_first_problem_is_said(self) -> None:
        document = {"name": "x", "note": "n" * 100, "strips": [{"id": "a", "name": "b" * 400, "kind": 7}] * 12_000}
        (problem,) = said(document)
        assert "strips[0].kind" in problem
        assert problem.endswith("(the first problem found)")

    def test_objects_are_counted_before_anything_is_made_of_them(self) -> None:
        (problem,) = said(b'{"name":"x","strips":[' + b"{}," * 800_001 + b"{}]}")
        assert problem.endswith("objects; at most 800000 are allowed")
