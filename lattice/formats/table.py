"""Spreadsheet text to rows: commas, semicolons or tabs, with or without a byte order mark."""

from __future__ import annotations

import codecs
import csv
import io

from lattice.errors import DocumentError

MAX_BYTES = 64 * 1024 * 1024
DELIMITERS = (",", ";", "\t")
MAX_CELL = 200_000


def decode(data: bytes) -> str:
    """The text of `data`: UTF-8, or UTF-16 that says so by its mark. Raises DocumentError."""
    if len(data) > MAX_BYTES:
        raise DocumentError([f"the sheet has {len(data) / 1024 / 1024:.0f} MiB; at most 64 are allowed"])
    wide = data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    try:
        text = data.decode("utf-16" if wide else "utf-8-sig")
    except UnicodeDecodeError as wrong:
        row = data[: wrong.start].count(b"\n") + 1
        raise DocumentError(
            [f"row {row}: not UTF-8 text (byte 0x{data[wrong.start]:02x}); save the sheet as UTF-8"]
        ) from None
    if "\0" in text:
        raise DocumentError(["this is no text: it holds zero bytes"])
    return text


def rows(text: str) -> list[list[str]]:
    """Cells of every line, stripped; empty lines are kept as [] so that row numbers stay true."""
    try:
        csv.field_size_limit(MAX_CELL)
        found = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter_of(text), strict=True))
    except csv.Error as wrong:
        raise DocumentError([f"the sheet cannot be read as CSV: {wrong}"]) from None
    return [[cell.strip() for cell in row] if any(cell.strip() for cell in row) else [] for row in found]


def delimiter_of(text: str) -> str:
    """The delimiter that occurs most often in the first line that is not empty; a comma by default."""
    head = next((line for line in text.splitlines() if line.strip()), "")
    return max(DELIMITERS, key=lambda delimiter: (head.count(delimiter), -DELIMITERS.index(delimiter)))


def write(lines: list[list[str]]) -> bytes:
    """Comma-separated UTF-8, lines ended by CR LF (RFC 4180)."""
    out = io.StringIO()
    csv.writer(out).writerows(lines)
    return out.getvalue().encode()
