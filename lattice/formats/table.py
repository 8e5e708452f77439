"""Spreadsheet text to rows and back: commas, semicolons or tabs, with or without a byte order mark.

Limits apply during reading, so that refused files cost little. Cells that a spreadsheet would compute are written with
an apostrophe before them, which reading removes.
"""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections.abc import Iterable, Sequence

from lattice.errors import DocumentError

# Checked before anything is parsed: rows and cells cost many times their bytes.
MAX_BYTES = 16 * 1024 * 1024
MAX_LINES = 400_000
MAX_LINE = 400_000  # characters
# Spreadsheets that are exported whole have columns of nothing; beyond this it is another kind of file.
MAX_COLUMNS = 256
MAX_CELL = 200_000
DELIMITERS = (",", ";", "\t")
COMPUTED = re.compile(r"[=+\-@\t\r']")  # how a cell begins that a spreadsheet computes, or that stands for one
NUMBER = re.compile(r"[+-]?\d+([.,]\d+)?")

Line = tuple[int, list[str]]  # its number from 1, and its cells


def decode(data: bytes) -> str:
    """The text of a sheet.

    Parameters
    ----------
    data
        UTF-8, or UTF-16 with a byte order mark; up to 16 MiB.

    Raises
    ------
    DocumentError
        Where it is larger, or no text.
    """
    if len(data) > MAX_BYTES:
        size_mib, most = len(data) / 1024 / 1024, MAX_BYTES // 1024 // 1024
        raise DocumentError([f"the table has {size_mib:.1f} MiB; at most {most} are allowed"])
    wide = data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    try:
        text = data.decode("utf-16" if wide else "utf-8-sig")
    except UnicodeDecodeError as wrong:
        row = data[: wrong.start].count(b"\n") + 1
        raise DocumentError(
            [f"row {row}: not UTF-8 text (byte 0x{data[wrong.start]:02x}); save the file as UTF-8"]
        ) from None
    if "\0" in text:
        raise DocumentError(["Not a text file. Use CSV, XLSX or ODS."])
    return text


def rows(text: str, most: int, delimiter: str = "") -> list[Line]:
    """The lines of a sheet that are not empty.

    Parameters
    ----------
    text
        Cells between commas, semicolons or tabs.
    most
        As many lines are allowed. Lines, columns and cells are counted while they are read.
    delimiter
        The separator of cells; empty: the most frequent one of the first line.

    Returns
    -------
    list of (int, list of str)
        The number of each line, from 1, and its stripped cells.

    Raises
    ------
    DocumentError
        Beyond `most` lines, or if a line is not a row of a sheet.
    """
    _refuse_long_lines(text)
    lines: list[Line] = []
    csv.field_size_limit(MAX_CELL)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter or delimiter_of(text), strict=True)
    try:
        for line_number, row in enumerate(reader, start=1):
            if len(row) > MAX_COLUMNS:
                raise DocumentError([f"row {line_number}: {len(row)} columns; at most {MAX_COLUMNS} are allowed"])
            cells = [_read(cell) for cell in row]
            if not any(cells):
                continue
            if len(lines) == most:
                raise DocumentError([f"row {line_number}: more than {most} rows, the most allowed"])
            lines.append((line_number, cells))
    except csv.Error as wrong:
        raise DocumentError([f"the table cannot be read as CSV: {wrong}"]) from None
    return lines


def _refuse_long_lines(text: str) -> None:
    """One walk from line end to line end, before anything is made of the text."""
    start, number = 0, 1
    while start < len(text):
        end = text.find("\n", start)
        end = len(text) if end < 0 else end
        if end - start > MAX_LINE:
            raise DocumentError([f"line {number}: {end - start} characters; at most {MAX_LINE} are allowed"])
        if number > MAX_LINES:
            raise DocumentError([f"more than {MAX_LINES} lines, the most allowed"])
        start, number = end + 1, number + 1


def delimiter_of(text: str) -> str:
    """The delimiter that occurs most often in the first line that is not empty; a comma by default."""
    head = next((line for line in io.StringIO(text) if line.strip()), "")
    return max(DELIMITERS, key=lambda delimiter: (head.count(delimiter), -DELIMITERS.index(delimiter)))


def _read(cell: str) -> str:
    """A cell without spaces around it, and without the apostrophe that keeps it from being computed."""
    cell = cell.strip()
    return cell[1:] if cell[:1] == "'" and COMPUTED.match(cell[1:]) else cell


def safe(cell: str) -> str:
    """A cell that no spreadsheet computes: one that begins like a formula gets an apostrophe. Numbers stay."""
    if not cell.strip():
        return cell
    return f"'{cell}" if COMPUTED.match(cell) and not NUMBER.fullmatch(cell) and _is_odd(cell) else cell


def _is_odd(cell: str) -> bool:
    """An apostrophe is added before a formula, and before a cell that already begins with one."""
    return cell[0] != "'" or COMPUTED.match(cell[1:]) is not None


def write(lines: Iterable[Sequence[str]]) -> bytes:
    """Comma-separated UTF-8, lines ended by CR LF (RFC 4180)."""
    out = io.StringIO()
    csv.writer(out).writerows([safe(cell) for cell in line] for line in lines)
    return out.getvalue().encode()
