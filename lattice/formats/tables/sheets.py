"""Tables as they are in a file: named parts of numbered lines."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from lattice.errors import DocumentError
from lattice.formats import table

MOST_ROWS = 20_000
# A cell takes some 30 µs: this many take less than two seconds.
MOST_CELLS = 60_000


@dataclass(frozen=True)
class Sheet:
    """One table: its lines that are not empty, each with its number from 1."""

    name: str
    lines: list[table.Line]
    notes: tuple[str, ...] = ()  # the results of its cells


@dataclass(frozen=True)
class Workbook:
    """A file's tables in their order."""

    parts: tuple[Sheet, ...]
    encoding: str = ""  # of text
    delimiter: str = ""  # of text
    document: bytes = b""  # that a workbook of ours carries, as JSON


def refuse_many_cells(cells: Iterable[list[str]], what: str) -> None:
    """Raises DocumentError where a table has more filled cells than are read; the rest is not looked at."""
    count = 0
    for number, row in enumerate(cells, start=1):
        count += sum(map(bool, row))
        if count > MOST_CELLS:
            raise DocumentError(
                [f"row {number}: {what} has more than {MOST_CELLS} filled cells; remove unused columns"]
            )


def numbered(grid: Iterable[list[str]]) -> list[table.Line]:
    """Rows with their numbers, from 1; empty ones are left out."""
    return [(number, row) for number, row in enumerate(grid, start=1) if any(row)]


def columns_across(lines: Iterable[table.Line]) -> int:
    """As many columns as the widest line has."""
    return max((len(cells) for _number, cells in lines), default=0)


def letters(column: int) -> str:
    """A column as spreadsheets call it: 0 → A, 26 → AA."""
    said = ""
    while column >= 0:
        said = chr(ord("A") + column % 26) + said
        column = column // 26 - 1
    return said
