"""Workbooks (XLSX, ODS) to tables: bounded before they are read, never run.

Macros are passed over, formulas are taken by the values they had when the workbook was saved.
"""

from __future__ import annotations

import base64
import binascii
import io
import lzma
import re
import zipfile
import zlib
from collections.abc import Iterable
from typing import Any

import python_calamine as calamine

from lattice.apart import read_apart
from lattice.errors import DocumentError
from lattice.formats import table
from lattice.formats.tables.sheets import MOST_ROWS, Sheet, numbered, refuse_many_cells
from lattice.formats.tables.workbook_limits import SheetLimits
from lattice.model.document import FORMAT

ZIP, COMPOUND = b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
# A workbook of 16 MiB holds ten times that when it is unpacked; a bomb a thousand times.
MOST_UNPACKED = 256 * 1024 * 1024
CHUNK = 1024 * 1024
# Errors that zipfile lets through for damaged archives: headers, offsets, methods, the stream itself.
DAMAGES = (
    zipfile.BadZipFile,
    NotImplementedError,
    RuntimeError,
    EOFError,
    OSError,
    ValueError,
    zlib.error,
    lzma.LZMAError,
)
# Workbooks that were exported here: the sheet of strips, and the document inside (`workbook_writer`).
STRIPS, CARRIED = "Strips", "document"
LONGEST_CELL = 32_000  # characters; a cell holds 32,767
AS_IT_IS = "(too long for a cell; unchanged)"


Sheets = tuple[list[Sheet], bytes]


def sheets(data: bytes) -> Sheets:
    """The visible sheets of a workbook that have a filled cell, and the document that one of ours carries.

    Its size is checked first. Then it is read in a process of its own, as the library allocates whatever the file
    states. Raises DocumentError with a sentence.
    """
    if data.startswith(ZIP):
        _refuse_bombs(data)
    return read_apart(f"{__name__}:sheets_here", data, Sheets, "the workbook")  # type: ignore[arg-type]


def sheets_here(data: bytes) -> Sheets:
    """The same in this process: only for one that has limits."""
    if not data.startswith(ZIP) and "EncryptedPackage".encode("utf-16-le") in data:
        raise DocumentError(["the workbook has a password; save it without one"])
    try:
        workbook = calamine.load_workbook(io.BytesIO(data))
        wanted = [
            meta.name for meta in workbook.sheets_metadata
            if meta.typ == calamine.SheetTypeEnum.WorkSheet and meta.visible == calamine.SheetVisibleEnum.Visible
        ]  # fmt: skip
        parts = [_sheet(workbook.get_sheet_by_name(name)) for name in wanted]
        carries = CARRIED in workbook.sheet_names and CARRIED not in wanted
        document = _document(workbook.get_sheet_by_name(CARRIED)) if carries else b""
    except calamine.PasswordError:
        raise DocumentError(["the workbook has a password; save it without one"]) from None
    except calamine.CalamineError as wrong:
        raise DocumentError([f"the workbook cannot be read: {wrong}"]) from None
    found = [part for part in parts if part.lines]
    if not found:
        raise DocumentError(["the workbook has no sheet with a filled cell"])
    return found, document


def _document(sheet: Any) -> bytes:
    """The document in a sheet of ours; nothing where it is another sheet, or does not unpack."""
    cells = [str(row[0]) for row in sheet.to_python() if row]
    if not cells or cells[0] != FORMAT:
        return b""
    try:
        unpacking = zlib.decompressobj()
        document = unpacking.decompress(base64.b64decode("".join(cells[1:]), validate=True), MOST_UNPACKED)
    except (binascii.Error, zlib.error, ValueError):
        return b""
    return document if unpacking.eof else b""


def _refuse_bombs(data: bytes) -> None:
    """Unpacks everything once, piece by piece, and stops beyond the size of any workbook."""
    unpacked = 0
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            _refuse_other_archives(packed)
            for member in packed.infolist():
                limits = SheetLimits(member.filename)
                with packed.open(member) as stream:
                    while piece := stream.read(CHUNK):
                        unpacked += len(piece)
                        limits.feed(piece)
                        if unpacked > MOST_UNPACKED:
                            most = MOST_UNPACKED // 1024 // 1024
                            raise DocumentError([f"the unpacked workbook has more than {most} MiB, the most allowed"])
    except DAMAGES as wrong:
        raise DocumentError([f"the workbook is damaged: {wrong}"]) from None


def _refuse_other_archives(packed: zipfile.ZipFile) -> None:
    names = set(packed.namelist())
    if not names & {"xl/workbook.xml", "xl/workbook.bin", "content.xml"}:
        raise DocumentError(["this is an archive, not a workbook"])
    manifest = "META-INF/manifest.xml"
    # OpenDocument 1.2, part 3: an encrypted file has its encryption data in the manifest.
    if manifest in names and packed.getinfo(manifest).file_size < CHUNK and b"encryption-data" in packed.read(manifest):
        raise DocumentError(["the workbook has a password; save it without one"])


def _sheet(sheet: Any) -> Sheet:
    height, width = (last + 1 for last in sheet.end or (-1, -1))
    if height > MOST_ROWS:
        raise DocumentError([f"the sheet “{sheet.name}” has {height} rows; at most {MOST_ROWS} are allowed"])
    if width > table.MAX_COLUMNS:
        raise DocumentError([f"the sheet “{sheet.name}” has {width} columns; at most {table.MAX_COLUMNS} are allowed"])
    grid = [[_cell(value) for value in row] for row in sheet.to_python(skip_empty_area=False)]
    refuse_many_cells(grid, f"the sheet “{sheet.name}”")
    notes = _spread_merged(grid, sheet.merged_cell_ranges or ())
    return Sheet(sheet.name, numbered(grid), tuple(notes))


def _cell(value: Any) -> str:
    """A cell as text: whole numbers without a point, yes and no, dates as ISO 8601 has them."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else f"{value:.10g}"
    if hasattr(value, "isoformat"):
        return str(value.isoformat())
    return " ".join(re.split(r"[\t\r\n\v\f]+", str(value))).strip()


def _spread_merged(grid: list[list[str]], merged: Iterable[Any]) -> list[str]:
    """A cell that spans rows holds for each of them; one that spans columns is a title."""
    spanning = 0
    for (top, left), (bottom, _right) in merged:
        value = grid[top][left] if top < len(grid) and left < len(grid[top]) else ""
        spanning += bool(value) and bottom > top
        for row in grid[top + 1 : bottom + 1]:
            if value and left < len(row):
                row[left] = value
    return [f"{spanning} merged cells apply to every row they span"] if spanning else []
