"""The track sheet, one row a strip as in a spreadsheet, to a template and back."""

from __future__ import annotations

from lattice.errors import DocumentError, first_problems
from lattice.formats import table
from lattice.formats.tables.headers import column_of
from lattice.formats.tables.reader import COLUMNS, Reader
from lattice.formats.tables.rows import ReadSheet, SheetProblem
from lattice.model.document import MAX_STRIPS, Template


def load(data: bytes, name: str = "Track sheet") -> Template:
    """The template of a sheet that is good as a whole.

    Parameters
    ----------
    data
        A sheet with a header row, or a plain list of names.
    name
        Name of the template, as a sheet has none.

    Raises
    ------
    DocumentError
        With every cell that was not understood.
    """
    read = read_sheet(data, name)
    if read.problems:
        raise DocumentError(first_problems(map(str, read.problems)))
    return read.template


def read_sheet(data: bytes, name: str = "Track sheet") -> ReadSheet:
    """All that can be understood of a sheet or of a plain list of names.

    Parameters
    ----------
    data
        The file.
    name
        Name of the template.

    Returns
    -------
    ReadSheet
        The template, the cells that were not understood, and the guessed kinds.

    Raises
    ------
    DocumentError
        Where nothing can be understood: no text, no rows, or too many.
    """
    cells, problems = cells_in(data)
    reader = Reader(Template(name=name[:120] or "Track sheet"))
    reader.problems += problems
    read = reader.read(cells)
    if not read.template.strips and not read.problems:
        raise DocumentError(["the table has a header and no rows"])
    return read


def cells_in(data: bytes) -> tuple[list[tuple[int, dict[str, str]]], list[SheetProblem]]:
    """Number and cells, by column, of each row, and the errors of the heads. Raises DocumentError."""
    return cells_of(table.rows(table.decode(data), MAX_STRIPS + 1))


def cells_of(lines: list[table.Line]) -> tuple[list[tuple[int, dict[str, str]]], list[SheetProblem]]:
    """The same of lines that are taken apart already."""
    if not lines:
        raise DocumentError(["the table is empty"])
    columns, body, problems = _columns(lines)
    cells = [
        (number, {column: cell for column, cell in zip(columns, line, strict=False) if column}) for number, line in body
    ]
    return cells, problems


def is_own(heads: list[str]) -> bool:
    """Return whether a row of heads is a track sheet's.

    All its heads are our columns; or half of them are, and at least one head is in no other known table.
    """
    header = [head.lower().replace(" ", "_") for head in heads if head]
    own = [head for head in header if head in COLUMNS]
    is_named = "name" in own or "id" in own
    strange = [head for head in heads if head and not column_of(head).field]
    return is_named and (len(own) == len(header) or (len(own) * 2 >= len(header) and bool(strange)))


def _columns(lines: list[table.Line]) -> tuple[list[str], list[table.Line], list[SheetProblem]]:
    """Columns by the header row, the lines below it, and the errors of the header; a list of names has none."""
    first, heads = lines[0]
    header = [cell.lower().replace(" ", "_") for cell in heads]
    if "name" not in header and "id" not in header:
        return ["name"], lines, []
    problems = []
    for position, column in enumerate(header):
        is_twice = column in header[:position]
        if column and (column not in COLUMNS or is_twice):
            sentence = "appears twice" if is_twice else f"unknown column; use {', '.join(COLUMNS)}"
            problems.append(SheetProblem(first, heads[position], sentence))
    return [column if column in COLUMNS else "" for column in header], lines[1:], problems
