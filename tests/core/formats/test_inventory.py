"""Inventories: CSV in and out, usual version numbers, the requirements of a template for a machine."""

from __future__ import annotations

import io

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.errors import DocumentError
from lattice.formats.inventory import dump, load
from lattice.model.inventory import Inventory, PlugIn, inventory_of, other_latencies, version_of
from tests.build import template

words = st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), min_size=1, max_size=12)
plugins = st.builds(
    PlugIn, name=words, maker=words | st.just(""), version=words | st.just(""),
    latency_samples=st.none() | st.integers(0, 10_000), rate_hz=st.none() | st.sampled_from([44_100, 48_000]),
)  # fmt: skip
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
        (b"name,latency_samples\nGlue,late", "row 2: “late” is not a whole number"),
        (b"name,rate_hz\nGlue,5", "row 2: rate_hz: 5 is not 8000 to 768000"),
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


LISTED: list[tuple[dict[str, object], int | None]] = [
    ({"latency_samples": 64}, 64), ({"latency_samples": 64, "version": "2.1"}, 64), ({"latency_samples": 64, "version": "2.1.0"}, 64),
    ({"latency_samples": 64, "version": "2.2"}, None), ({"latency_samples": 64, "rate_hz": 48_000}, 64),
    ({"latency_samples": 64, "rate_hz": 96_000}, None), ({}, None), ({"latency_samples": 10}, None),
    ({"latency_samples": 64, "maker": "Other"}, None), ({"latency_samples": 64, "maker": "tern  audio"}, 64),
]  # fmt: skip


@pytest.mark.parametrize(("entry", "wanted"), LISTED)
def test_a_latency_is_listed_for_the_same_maker_name_version_and_rate(entry: dict, wanted: int | None) -> None:
    glue = {
        "id": "g",
        "name": "Glue",
        "type": "compressor",
        "maker": "Tern Audio",
        "version": "2.1",
        "latency_samples": 10,
    }
    made = template([{"id": "a", "kind": "bus", "inserts": [glue]}])
    listed = PlugIn(**{"name": "glue", "maker": "Tern Audio", **entry})
    assert [found for _s, _i, found in other_latencies(made, Inventory(plugins=(listed,)))] == (
        [wanted] if wanted else []
    )
    if wanted:
        contradicted = Inventory(plugins=(listed, replace(listed, latency_samples=7)))
        assert not list(other_latencies(made, contradicted))


def test_a_latency_list_may_be_a_workbook() -> None:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out) as book:
        sheet = book.add_worksheet("Latencies")
        sheet.write_row(0, 0, ["Maker", "Name", "Latency samples", "Rate Hz"])
        sheet.write_row(1, 0, ["Tern Audio", "Glue", 64, 48_000])
    (glue,) = load(out.getvalue()).plugins
    assert (glue.name, glue.latency_samples, glue.rate_hz) == ("Glue", 64, 48_000)
