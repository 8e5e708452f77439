"""The formats by name: detection on reading, and the result of writing each."""

from __future__ import annotations

import json

import pytest

from lattice.errors import DocumentError
from lattice.formats import registry
from lattice.formats.registry import FORMATS
from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template

MADE = template(["a:kick", "b:drums", "o:out"], ["kick>drums", "send kick>out -6", "drums>out"], name="Small")
DOCUMENT = FORMATS["json"].write(MADE)
SHEET = b"name,kind,feed\nKick,audio,Drums\nDrums,bus,Out\nOut,output,\n"


def wired(made: Template) -> set[tuple[str, str]]:
    names = {strip.id: strip.name for strip in made.strips}
    return {(names[route.from_strip], names[route.to]) for route in made.routes if route.kind == "feed"}


@pytest.mark.parametrize("name", FORMATS)
def test_each_is_known_by_its_name_and_written_the_same_every_time(name: str) -> None:
    form = FORMATS[name]
    assert form.name == name
    assert "/" in form.media_type
    assert form.write(generate(60)) == form.write(generate(60))
    form.write(generate(60)).decode()  # all are text in UTF-8


def test_no_ending_belongs_to_two_forms() -> None:
    endings = [ending for form in FORMATS.values() for ending in form.endings]
    assert len(endings) == len(set(endings))
    assert all(form.endings for form in FORMATS.values() if form.read)


@pytest.mark.parametrize("name", [form.name for form in FORMATS.values() if form.read])
def test_what_a_readable_form_writes_it_reads_with_the_same_flow(name: str) -> None:
    form = FORMATS[name]
    assert form.read is not None
    assert wired(form.read(form.write(MADE), "Small")) == wired(MADE)


@pytest.mark.parametrize("name", ["a.json", "A.JSON", "folder.csv/a.json", "no ending", "a.lattice", "-"])
def test_a_document_is_read_by_its_ending_and_where_none_is_known(name: str) -> None:
    assert registry.read(DOCUMENT, name) == MADE


@pytest.mark.parametrize(
    ("name", "called"),
    [("tracks.csv", "tracks"), ("Tracks.TXT", "Tracks"), ("folder/job.tsv", "job"), ("-", "Track sheet")],
)
def test_a_sheet_is_read_by_its_ending_or_by_its_first_sign(name: str, called: str) -> None:
    made = registry.read(SHEET, name)
    assert made.name == called
    assert wired(made) == {("Kick", "Drums"), ("Drums", "Out")}


@pytest.mark.parametrize(
    ("data", "yes"),
    [
        (b'{"format"', True), (b"\xef\xbb\xbf {", True), (b"\n\t [1]", True), (b" " * 199 + b"{", True),
        (b"", False), (b"Name,Kind", False), (b"\xef\xbb\xbfName", False), (b'"{",1', False),
    ],
)  # fmt: skip
def test_the_first_sign_tells_a_document_from_a_sheet(data: bytes, yes: bool) -> None:
    assert registry.looks_like_document(data) is yes


@pytest.mark.parametrize(
    ("data", "name"),
    [(b"", "-"), (b"   \n", "-"), (b"", "a.json"), (b"", "a.csv"), (SHEET, "a.json"), (json.dumps([1]).encode(), "-"), (b"\x00\xff\xfe", "a.json"), (b"\x00\x01", "-")],
)  # fmt: skip
def test_what_is_neither_is_refused_in_a_sentence(data: bytes, name: str) -> None:
    with pytest.raises(DocumentError) as refused:
        registry.read(data, name)
    assert refused.value.problems
    assert all(len(problem.split()) > 2 for problem in map(str, refused.value.problems))
