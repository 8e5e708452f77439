"""The size of a workbook before it is parsed: cells, repeats, merges and spaces, counted in its packed XML.

A reader allocates every cell between the first and the last filled one: two cells in opposite corners of a sheet of 1.5
kB use all memory. The numbers that cause it are plain attributes, so they are checked in the single unpacking pass for
the size.
"""

from __future__ import annotations

import re

from lattice.errors import DocumentError
from lattice.formats import table
from lattice.formats.tables.sheets import MOST_ROWS

MOST_MERGED = 10_000
MOST_PLACES = 2 * MOST_ROWS * table.MAX_COLUMNS  # beyond the limit, and short enough to name the sheet
# Office programs fill a sheet to its end with one repeated row and one repeated cell (OpenDocument 1.2, 9.1.2).
ROWS_OF_A_SHEET, COLUMNS_OF_A_SHEET = 1_048_576, 16_384
LONGEST_SPACES = 32_767  # characters of a cell
OVERLAP = 256  # bytes looked at again with the next piece: longer than any attribute that counts
PLACE = re.compile(rb"""\br\s*=\s*["']([A-Za-z]*)(\d+)["']""")  # a cell (B7) or a row (7)
MERGED = re.compile(rb"<(?:\w+:)?mergeCell\b")
ROWS_REPEATED = re.compile(rb"""number-rows-(?:repeated|spanned)\s*=\s*["'](\d+)["']""")
COLUMNS_REPEATED = re.compile(rb"""number-columns-(?:repeated|spanned)\s*=\s*["'](\d+)["']""")
SPACES = re.compile(rb"""text:c\s*=\s*["'](\d+)["']""")


class SheetLimits:
    """The numbers of one member of a workbook's archive, fed piece by piece. Raises DocumentError above a limit."""

    def __init__(self, name: str) -> None:
        self.is_sheet = name.startswith("xl/worksheets/") and name.endswith(".xml")
        self.is_open_document = name in ("content.xml", "styles.xml")
        self._before, self._merged = b"", 0
        self._width = self._height = 0

    def feed(self, piece: bytes) -> None:
        """The next bytes of it."""
        if not (self.is_sheet or self.is_open_document):
            return
        text = self._before + piece
        # Matches that end within the previous part are counted already.
        seen = len(self._before)
        if self.is_sheet:
            self._places(text)
            self._merged += sum(found.end() > seen for found in MERGED.finditer(text))
            if self._merged > MOST_MERGED:
                raise DocumentError([f"a sheet has more than {MOST_MERGED} merged cells, the most allowed"])
        else:
            self._repeats(text)
        self._before = text[-OVERLAP:]

    def _places(self, text: bytes) -> None:
        for found in PLACE.finditer(text):
            letters, digits = found[1], found[2]
            beyond = len(letters) > 3 or len(digits) > 7
            self._width = max(self._width, 0 if beyond else _column(letters))
            self._height = max(self._height, 0 if beyond else int(digits))
            if beyond or self._width * self._height > MOST_PLACES:
                where = found[0].decode("ascii", "replace")[:24]
                raise DocumentError(
                    [
                        f"a sheet is too large ({where}); at most {MOST_ROWS} rows and {table.MAX_COLUMNS} columns are "
                        "allowed"
                    ]
                )

    @staticmethod
    def _repeats(text: bytes) -> None:
        for pattern, most, words in (
            (ROWS_REPEATED, ROWS_OF_A_SHEET, "a row"),
            (COLUMNS_REPEATED, COLUMNS_OF_A_SHEET, "a cell"),
            (SPACES, LONGEST_SPACES, "a space"),
        ):
            for found in pattern.finditer(text):
                if len(found[1]) > 7 or int(found[1]) > most:
                    raise DocumentError(
                        [f"a sheet repeats {words} {found[1][:12].decode()} times; at most {most} are allowed"]
                    )


def _column(letters: bytes) -> int:
    """A → 1, Z → 26, AA → 27; 0 for none."""
    number = 0
    for letter in letters.upper():
        number = number * 26 + letter - 64
    return number
