"""Files that hold tables, whatever their form: workbooks and text, to named parts of numbered lines.

Everything that could cost much is bounded before it is read: packed and unpacked bytes, rows, columns. Macros are never
run, formulas are taken by the values they had when the workbook was saved.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable

from lattice.errors import DocumentError
from lattice.formats import table
from lattice.formats.tables.encodings import decoded
from lattice.formats.tables.sheets import MOST_ROWS, Sheet, Workbook, numbered, refuse_many_cells
from lattice.formats.tables.workbooks import COMPOUND, ZIP, sheets

MOST_BYTES = 16 * 1024 * 1024
# Other files that are often picked by mistake, by their first bytes.
OTHERS = {
    b"RIFF": "a recording or another RIFF file", b"RF64": "a recording", b"fLaC": "a recording", b"MThd": "a MIDI file",
    b"%PDF": "a PDF", b"\x89PNG": "a picture", b"\xff\xd8\xff": "a picture", b"ID3": "a recording",
    b"\x1f\x8b": "a packed file",
}  # fmt: skip
GAP = "  "  # as a delimiter: two spaces or more, as in lists that are set in columns
DELIMITERS = ("\t", ";", ",", "|", GAP)
SAMPLED = 60  # lines that decide the separator


def read_book(data: bytes, encoding: str | None = None, delimiter: str | None = None) -> Workbook:
    """The tables in a file.

    Parameters
    ----------
    data
        A workbook (XLSX, ODS) or text between tabs, semicolons, commas, bars or wide gaps; up to 16 MiB.
    encoding, delimiter
        Of text; None to find out.

    Returns
    -------
    Workbook
        At least one part.

    Raises
    ------
    DocumentError
        With a sentence why it cannot be read.
    """
    if len(data) > MOST_BYTES:
        size = len(data) / 1024 / 1024
        raise DocumentError([f"the table has {size:.0f} MiB; at most {MOST_BYTES // 1024 // 1024} are allowed"])
    for begins, what in OTHERS.items():
        if data.startswith(begins):
            raise DocumentError([f"this is {what}, not a table"])
    if data.startswith((ZIP, COMPOUND)):
        parts, document = sheets(data)
        return Workbook(tuple(parts), document=document)
    text, named = decoded(data, encoding)
    if not text.strip():
        raise DocumentError(["the table is empty"])
    text, own = _without_announcement(text)
    delimiter = delimiter or own or delimiter_of(text)
    lines = _text_lines(text, delimiter)
    refuse_many_cells((cells for _number, cells in lines), "the table")
    return Workbook((Sheet("", lines),), named, delimiter)


def _without_announcement(text: str) -> tuple[str, str]:
    """The text without a first line like `sep=;`, which names the separator; and that separator."""
    announced = re.match(r"sep=(.)\r?\n", text)
    return (text[announced.end() :], announced[1]) if announced else (text, "")


def delimiter_of(text: str) -> str:
    """The separator: the one that gives most lines the same number of cells, more than one."""
    head = "\n".join(line for line in text[:400_000].splitlines() if line.strip())
    lines = head.splitlines()[:SAMPLED]

    def score(delimiter: str) -> tuple[float, int]:
        widths = [width for width in map(len, _cells_of(lines, delimiter)) if width > 1]
        if not widths:
            return 0.0, 0
        usual = max(set(widths), key=lambda width: (widths.count(width), width))
        return round(widths.count(usual) / len(lines), 2), usual

    best = max(DELIMITERS, key=lambda delimiter: (score(delimiter), -DELIMITERS.index(delimiter)))
    # A comma or a wide gap may be part of a name: they separate if half of the lines have the same number of them.
    least = 0.5 if best in (",", GAP, "|") else 0.0
    return best if score(best)[0] > least else "\t"


def _cells_of(lines: Iterable[str], delimiter: str) -> list[list[str]]:
    if delimiter == GAP:
        return [re.split(r" {2,}|\t", line.strip()) for line in lines]
    csv.field_size_limit(table.MAX_CELL)
    try:
        return list(csv.reader(lines, delimiter=delimiter))
    except csv.Error:
        return []


def _text_lines(text: str, delimiter: str) -> list[table.Line]:
    if delimiter != GAP:
        return table.rows(text, MOST_ROWS, delimiter)
    lines = text.splitlines()
    if len(lines) > MOST_ROWS:
        raise DocumentError([f"{len(lines)} rows; at most {MOST_ROWS} are allowed"])
    return numbered(_cells_of([line if line.strip() else "" for line in lines], GAP))
