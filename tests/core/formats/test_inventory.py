"""Inventories: CSV in and out, versions as people number them, what a template asks of a machine."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.errors import DocumentError
from lattice.formats.inventory import dump, load
from lattice.model.inventory import Inventory, PlugIn, inventory_of, version_of
from tests.build import template

words = st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), min_size=1, max_size=12)
plugins = st.builds(PlugIn, name=words, maker=words | st.just(""), version=words | st.just(""))
names = st.dictionaries(st.integers(1, 99).map(str), words, max_size=4)


@given(st.builds(Inventory, plugins=st.lists(plugins, max_size=5).map(tuple), input_names=names, output_names=names))
def test_csv_out_and_in_again_is_the_same(inventory: Inventory) -> None:
    assert load(dump(inventory)) == inventory


@pytest.mark.parametrize(
    ("older", "newer"), [("2.9", "2.10"), ("1.0", "1.0.1"), ("1.9.9", "2"), ("", "1"), ("v3.1 b2", "v3.1 b10")]
)
def test_versions_are_numbers_and_not_text(older: str, newer: str) -> None:
    assert version_of(older) < version_of(newer)
    assert version_of(older) == version_of(older + ".0.0")


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"plugin\nGlue\n", "unknown columns plugin"),
        (b"maker\nTern\n", "the column name is missing"),
        (b"name\n" + b"x" * 121, "row 2: a name has 1 to 120 characters"),
        (b"what,name,channel\noutput,Left,0\n", "row 2: an output needs its number, 1 to 1024"),
        (b'{"plugins": [{"maker": "x"}]}', "name"),
        (b"name\n\xff", "not UTF-8"),
        (b'name\n"open', "cannot be read as CSV"),
    ],
)
def test_what_cannot_be_read_is_said_with_its_row(data: bytes, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        load(data)


def test_what_a_template_asks_of_a_machine_is_an_inventory_it_passes() -> None:
    glue = {"id": "g1", "name": "Glue", "type": "compressor", "maker": "Tern Audio", "version": "2.1"}
    outside = {"id": "o", "name": "Tape", "type": "external"}
    made = template(
        [
            {"id": "a", "kind": "bus", "inserts": [glue, outside]},
            {"id": "b", "kind": "bus", "inserts": [{**glue, "id": "g2", "version": "2.10"}]},
            {"id": "kit", "name": "Kit", "kind": "instrument"},
        ],
        machines=[{"id": "main", "name": "Main", "input_names": {"7": "Synth"}}],
    )
    wanted = inventory_of(made, made.machines[0])
    assert [(one.maker, one.name, one.version) for one in wanted.plugins] == [
        ("", "Kit", ""),
        ("Tern Audio", "Glue", "2.10"),
    ]
    assert wanted.input_names == {"7": "Synth"}
    from lattice.checks import audit

    assert not [f for f in audit(made, wanted).findings if f.code.startswith(("plugin", "io.renamed"))]
