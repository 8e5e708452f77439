"""A template as a workbook and back: everything is in it, and changes in it are applied like those of a newer sheet."""

from __future__ import annotations

import io
from typing import Any

import pytest
import python_calamine
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from lattice.changes.compare import compare
from lattice.errors import DocumentError
from lattice.exports import xlsx
from lattice.formats import registry, workbook_writer
from lattice.formats.tables.workbooks import CARRIED
from lattice.generate import generate
from lattice.model.document import Template
from tests.core.formats.test_track_sheet import FULL
from tests.deep import tries
from tests.strategies import templates


def back(data: bytes) -> Template:
    return registry.read(data, "show.xlsx")


@given(templates())
@tries(60)
def test_every_template_comes_back_as_it_was(made: Template) -> None:
    assert back(xlsx(made)) == made


NOTES = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=40)


@given(NOTES.filter(str.strip), NOTES, st.floats(-199, 199), st.floats(-1, 1))
@tries(100)
def test_whatever_stands_in_a_cell(name: str, note: str, fader: float, pan: float) -> None:
    strip = replace(FULL.strips[0], name=name, note=note, fader_db=fader, pan=pan, tags=("a;b", "1"))
    made = replace(FULL, strips=(strip, *FULL.strips[1:]))
    assert back(xlsx(made)) == made


def test_what_is_too_long_for_a_cell_stays_as_it_is() -> None:
    made = replace(FULL, strips=(replace(FULL.strips[0], note="x" * 40_000), *FULL.strips[1:]))
    assert back(xlsx(made)) == made


def test_a_large_one_comes_back_too() -> None:
    made = generate(1200, 5, worn=True)
    assert back(xlsx(made)) == made


def changed(made: Template, change: Any) -> Template:
    """The template of its workbook after changes in the rows of strips."""
    rows = [list(row) for row in workbook_writer._strips(made)]
    change(rows)
    original = workbook_writer._strips
    try:
        workbook_writer._strips = lambda _template: rows  # type: ignore[assignment]
        return back(workbook_writer.dump(made, ()))
    finally:
        workbook_writer._strips = original


def test_what_is_changed_in_the_strips_is_what_a_newer_sheet_says() -> None:
    made = generate(30, 2)
    fader = workbook_writer.COLUMNS.index("fader_db")

    def change(rows: list[list[str]]) -> None:
        rows[0][fader] = "-7.5"
        rows[1][1] = "Another name"
        del rows[-1]

    assert [str(one) for one in compare(made, changed(made, change))] == [
        "- strip s0-t21: Narration hard 21 (audio)",
        "~ strip mix: fader_db 0.0 → -7.5",
        '~ strip music: name "Music" → "Another name"',
        "- route r41: feed s0-t21 → s0-bus",
    ]
    with pytest.raises(DocumentError, match="row 2, column fader_db: “loud” is not a level"):
        changed(made, lambda rows: rows[0].__setitem__(fader, "loud"))


def test_it_has_a_sheet_for_each_list_with_its_head_frozen_and_the_document_out_of_sight() -> None:
    book = python_calamine.load_workbook(io.BytesIO(xlsx(generate(60, 1, worn=True))))
    shown = [one.name for one in book.sheets_metadata if one.visible == python_calamine.SheetVisibleEnum.Visible]
    assert shown == ["Strips", "Routes", "Sections", "Stems", "Rules", "Findings"]
    assert CARRIED in book.sheet_names
    findings = book.get_sheet_by_name("Findings").to_python()
    assert findings[0] == list(workbook_writer.FINDINGS)
    assert findings[1][0] == "blocker"
    faders = [
        row[workbook_writer.COLUMNS.index("fader_db")] for row in book.get_sheet_by_name("Strips").to_python()[1:]
    ]
    assert all(isinstance(fader, float) for fader in faders if fader != "-0")
