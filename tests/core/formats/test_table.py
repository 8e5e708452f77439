"""Sheets as tables: limits that hold while reading, and cells that no spreadsheet computes."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lattice.errors import DocumentError
from lattice.formats import table
from tests.deep import tries

cells = st.text(st.characters(exclude_categories=("Cs", "Cc")) | st.sampled_from("=+-@'"), max_size=8)


@given(st.lists(st.lists(cells, min_size=1, max_size=4), min_size=1, max_size=5))
@tries(200)
def test_what_is_written_is_read_back_and_nothing_begins_like_a_formula(lines: list[list[str]]) -> None:
    written = table.write([["head"] * 4, *lines])
    for row in csv.reader(io.StringIO(written.decode(), newline="")):
        for cell in row:
            assert not cell.strip() or cell[:1] not in "=+-@\t\r" or table.NUMBER.fullmatch(cell)
    read = [found for _number, found in table.rows(written.decode(), 10)][1:]
    expected = [[cell.strip() for cell in line] for line in lines]
    assert read == [line for line in expected if any(line)]


@pytest.mark.parametrize(
    ("cell", "written"),
    [
        ("=SUM(A1:A9)", "'=SUM(A1:A9)"), ("+49 30", "'+49 30"), ("-cmd|'/C calc'!A0", "'-cmd|'/C calc'!A0"), ("@x", "'@x"),
        ("-6.5", "-6.5"), ("+3", "+3"), ("-6,5", "-6,5"), ("-", "'-"), ("'=x", "''=x"), ("'Til dawn", "'Til dawn"), ("", ""),
    ],
)  # fmt: skip
def test_cells_that_a_spreadsheet_would_compute_get_an_apostrophe(cell: str, written: str) -> None:
    assert table.safe(cell) == written
    assert table.rows(f"head\n{written}\n" if "," not in written else f'head\n"{written}"\n', 5)[1:] == (
        [(2, [cell])] if cell else []
    )


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("\n" * 400_100, "more than 400000 lines, the most allowed"),
        ("," * 400_001, "line 1: 400001 characters; at most 400000"),
        ("name\n" + "," * 300, "row 2: 301 columns; at most 256"),
        ("name\n" + "x\n" * 50, "row 12: more than 11 rows"),
        ('name\n"' + "x" * 200_001, "field larger than field limit"),
    ],
)
def test_limits_hold_while_reading(text: str, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        table.rows(text, 11)


def test_a_sheet_beyond_its_size_is_not_decoded() -> None:
    with pytest.raises(DocumentError, match="at most 16 are allowed"):
        table.decode(b"\n" * (16 * 1024 * 1024 + 1))


def test_row_numbers_count_empty_rows() -> None:
    assert table.rows("name\n\n\nKick\n", 5) == [(1, ["name"]), (4, ["Kick"])]
