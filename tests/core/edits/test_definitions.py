"""An edit as one definition: arguments are parsed, checked and described the same way for every edit."""

from __future__ import annotations

import inspect
from typing import Any

import pytest

from lattice.edits import EDITS, apply
from lattice.edits.arguments import (
    REQUIRED,
    Argument,
    Choice,
    Fields,
    Flag,
    Level,
    Lines,
    Piece,
    PieceOf,
    Pieces,
    Plain,
    Text,
    Whole,
    Words,
    name_of,
    names_in,
    piece_named,
)
from lattice.edits.described import ALLOW_CHANGE, Edit, edit
from lattice.errors import EditError
from lattice.model.document import Insert, Route, Strip, Template
from tests.build import template

KIT = {
    "id": "kit",
    "name": "Kit",
    "kind": "instrument",
    "outlets": [{"id": "1", "name": "Kick"}, {"id": "2"}],
    "parts": [{"id": "snare", "name": "Snare"}],
}
MADE = template(
    [{"id": "kick", "name": "Kick", "kind": "audio", "inserts": [{"id": "eq", "name": "Low cut", "type": "eq"}]}, KIT, {"id": "bus", "name": "Drums", "kind": "bus"}],
    ["kick>bus"],
)  # fmt: skip


def form(**values: str | list[str]) -> dict[str, list[str]]:
    return {name: [value] if isinstance(value, str) else value for name, value in values.items()}


READ: list[tuple[Argument, dict[str, list[str]], Any]] = [
    (Text("x"), form(x="  Kick in "), "Kick in"),
    (Text("x", default=None), form(x=" "), None),
    (Text("x", default=""), form(x=""), ""),
    (Text("x"), form(x=["first", "last"]), "last"),
    (Choice("x", options=("a", "b")), form(x="b"), "b"),
    (Whole("x"), form(x="48 000"), 48000),
    (Whole("x", default=4), form(x=""), 4),
    (Level("x"), form(x="−6,5 dB"), -6.5),
    (Level("x"), form(x="off"), None),
    (Level("x", default=-10.0), form(x=" "), -10.0),
    (Flag("x"), form(x="on"), True),
    (Flag("x"), form(x="TRUE"), True),
    (Flag("x"), form(x="0"), False),
    (Lines("x"), form(x="Tom 1\n\n  Tom 2 \r\n"), ["Tom 1", "Tom 2"]),
    (Words("x"), form(x="a, b  c"), ["a", "b", "c"]),
    (Words("x"), form(x=["a", "b c"]), ["a", "b", "c"]),
    (Words("x"), form(), []),
    (Piece("x"), form(x="bus"), "bus"),
    (Piece("x", kind="insert"), form(x="eq"), "eq"),
    (Piece("x", kind="section", may_be_none=True), form(x=""), None),
    (Pieces("x"), form(x="bus kick bus gone"), ["kick", "bus"]),  # in the order of the document, each once
    (Pieces("x", kind="route"), form(x="r1"), ["r1"]),
    (PieceOf("x", kind="part"), form(x="snare"), "snare"),
    (
        Fields("x", piece=Strip),
        form(fader_db="-3", mute="true", name="Kick", id="other"),
        {"name": "Kick", "fader_db": -3.0, "mute": True},
    ),
    (Fields("x", piece=Strip, within=("name",)), form(fader_db="-3", name="Kick"), {"name": "Kick"}),
    (Fields("x", piece=Insert, without=("name",)), form(latency_samples="1 ms", name="Kick"), {"latency_samples": 48}),
    (Fields("x", piece=Route), form(gain_db="off", enabled="false"), {"gain_db": None, "enabled": False}),
]


@pytest.mark.parametrize(("argument", "posted", "value"), READ)
def test_what_a_form_says_is_read(argument: Argument, posted: dict[str, list[str]], value: Any) -> None:
    read = argument.read(posted, MADE)
    assert read == value
    assert argument.problem(read) is None
    assert isinstance(argument.said(read, MADE), str)


REFUSED: list[tuple[Argument, dict[str, list[str]], str]] = [
    (Text("x"), form(), "x is missing"),
    (Text("x"), form(x="  "), "x is missing"),
    (Whole("x", "number"), form(x="many"), "number: “many” is not a whole number"),
    (Level("x"), form(x="loud"), "x: “loud” is not a level"),
    (Lines("x"), form(), "x is missing"),
    (Piece("x"), form(x="nobody"), "strip nobody does not exist; it may have been removed"),
    (Piece("x", kind="route"), form(x="r9"), "route r9 does not exist"),
    (Pieces("x"), form(x="gone lost"), "no strip selected"),
    (Pieces("x"), form(), "no strip selected"),
    (Pieces("x", kind="route"), form(x="r9"), "route r9 does not exist; it may have been removed"),
    (Fields("x", piece=Strip), form(fader_db="loud"), "“loud” is not a level"),
    (Fields("x", piece=Strip), form(pan="far"), "“far” is not a pan position"),
    (Fields("x", piece=Insert), form(wet="200 %"), "is not a share"),
]


@pytest.mark.parametrize(("argument", "posted", "sentence"), REFUSED)
def test_what_cannot_be_read_is_said(argument: Argument, posted: dict[str, list[str]], sentence: str) -> None:
    with pytest.raises(EditError) as refused:
        argument.read(posted, MADE)
    assert sentence in str(refused.value)


PROBLEMS: list[tuple[Argument, Any, str]] = [
    (Text("x"), 3, "is not text"),
    (Choice("x", options=("a", "b")), "c", "c is not one of a, b"),
    (Whole("x", low=1, high=9), 10, "10 is not 1 to 9"),
    (Whole("x"), True, "True is not 0 to 1000000"),
    (Whole("x"), 1.5, "1.5 is not"),
    (Level("x"), "loud", "is not a level"),
    (Level("x"), True, "is not a level"),
    (Level("x"), float("nan"), "is not a level: −200 to 200 dB"),
    (Level("x"), float("-inf"), "is not a level"),
    (Level("x"), 200.5, "is not a level"),
    (Flag("x"), 1, "is not true or false"),
    (Lines("x"), "a", "is not a list of texts"),
    (Words("x"), [1], "is not a list of texts"),
    (Piece("x"), 1, "is not an ID"),
    (Piece("x"), None, "is not an ID"),
    (Pieces("x"), "kick", "is not a list of texts"),
    (PieceOf("x"), None, "is not an ID"),
    (Fields("x"), ["name"], "is not an object of fields"),
    (Fields("x"), {1: 2}, "is not an object of fields"),
    (Plain("x"), {"a": 1}, "is not a list of objects"),
    (Plain("x"), ["a"], "is not a list of objects"),
]


@pytest.mark.parametrize(("argument", "value", "sentence"), PROBLEMS)
def test_plain_values_that_are_none_are_said(argument: Argument, value: Any, sentence: str) -> None:
    assert sentence in (argument.problem(value) or "")


def test_pieces_are_called_as_people_call_them() -> None:
    assert name_of(MADE, "strip", "kick") == "Kick"
    assert name_of(MADE, "route", "r1") == "feed Kick → Drums"
    assert name_of(MADE, "insert", "eq") == "Kick, Low cut"
    assert name_of(MADE, "strip", "gone") == "gone"
    assert names_in(MADE, "kit", "outlets", ["1", "2"]) == ("Kit", "Kick, 2")
    assert names_in(MADE, "kit", "parts", ["snare"]) == ("Kit", "Snare")
    with pytest.raises(EditError, match="outlet 9 does not exist"):
        names_in(MADE, "kit", "outlets", ["9"])
    with pytest.raises(EditError, match="strip gone does not exist"):
        piece_named(MADE, "strip", "gone")


@pytest.mark.parametrize("one", EDITS.values(), ids=EDITS)
class TestEveryEdit:
    def test_its_arguments_are_its_functions_parameters(self, one: Edit) -> None:
        parameters = list(inspect.signature(one.function).parameters.values())[1:]
        arguments = one.arguments[:-1] if one.keeps_sound else one.arguments
        assert (one.arguments[-1:] == (ALLOW_CHANGE,)) == (one.keeps_sound is not None)
        assert [argument.name for argument in arguments] == [parameter.name for parameter in parameters]
        for argument, parameter in zip(arguments, parameters, strict=True):
            is_needed = parameter.default is inspect.Parameter.empty
            assert (argument.default is REQUIRED) == is_needed
            assert is_needed or argument.default == parameter.default

    def test_it_is_permitted_and_explained(self, one: Edit) -> None:
        assert one.permission in ("edit", "waive")
        assert one.name == one.function.__name__
        assert (one.function.__doc__ or "").strip().endswith((".", ")"))

    def test_nothing_it_does_not_take_is_passed_on(self, one: Edit) -> None:
        with pytest.raises(EditError, match="unknown argument nonsense"):
            one.check({"nonsense": 1})

    def test_what_it_needs_and_does_not_get_is_said(self, one: Edit) -> None:
        needed = [argument.name for argument in one.arguments if argument.default is REQUIRED]
        with pytest.raises(EditError) as refused:
            apply(MADE, one.name, {})
        if needed:
            assert all(name in str(refused.value) for name in needed)

    def test_plain_values_of_the_wrong_type_are_refused_with_the_name_of_the_argument(self, one: Edit) -> None:
        for argument in one.arguments:
            if argument.problem(object()):
                with pytest.raises(EditError, match=argument.name):
                    one.check(
                        {other.name: None for other in one.arguments if other.default is not REQUIRED}
                        | {argument.name: object()}
                    )


def test_an_unknown_edit_is_named_with_those_there_are() -> None:
    with pytest.raises(EditError, match=r"unknown edit paint; use one of .*change_strip"):
        apply(MADE, "paint", {})


@pytest.mark.parametrize(
    ("arguments", "wrong"),
    [((), "strip"), ((Piece("strip"), Text("more")), "more"), ((Text("strip", default="x"),), "strip")],
)
def test_a_definition_that_is_not_its_function_is_refused_at_once(arguments: tuple[Argument, ...], wrong: str) -> None:
    def made_up(template: Template, strip: str) -> Template:
        """Does nothing."""
        return template

    with pytest.raises(ValueError, match=wrong):
        edit(*arguments, says="Nothing")(made_up)
    assert "made_up" not in EDITS
