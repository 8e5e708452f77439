"""Workbooks that were made to end a server: each is refused with a sentence, in seconds and within its memory."""

from __future__ import annotations

import io
import resource
import subprocess
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path
from time import perf_counter

import pytest

from lattice.apart import Limits, read_apart
from lattice.errors import DocumentError
from lattice.formats.tables.books import read_book

MOST_S = 10.0  # a refusal takes a tenth of a second; a machine under load, some

WORKBOOK = '<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>'
RELATIONS = '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>'
SHEET = '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData>{}</worksheet>'
CONTENT = '<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet><table:table table:name="S">{}</table:table></office:spreadsheet></office:body></office:document-content>'


def packed(members: dict[str, str]) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in members.items():
            archive.writestr(name, text)
    return made.getvalue()


def xlsx(rows: str, more: str = "") -> bytes:
    return packed(
        {
            "xl/workbook.xml": WORKBOOK,
            "xl/_rels/workbook.xml.rels": RELATIONS,
            "xl/worksheets/sheet1.xml": SHEET.format(rows, more),
        }
    )


def ods(rows: str) -> bytes:
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = f'<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>'
    return packed({"mimetype": kind, "META-INF/manifest.xml": manifest, "content.xml": CONTENT.format(rows)})


def cell(place: str, row: int) -> str:
    return f'<row r="{row}"><c r="{place}" t="inlineStr"><is><t>x</t></is></c></row>'


def row(cells: str, repeated: int = 1) -> str:
    return f'<table:table-row table:number-rows-repeated="{repeated}">{cells}</table:table-row>'


def filled(repeated: int = 1, text: str = "x") -> str:
    return f'<table:table-cell table:number-columns-repeated="{repeated}" office:value-type="string"><text:p>{text}</text:p></table:table-cell>'


ATTACKS: dict[str, tuple[Callable[[], bytes], str]] = {
    "corners": (lambda: xlsx(cell("A1", 1) + cell("XFD1048576", 1048576)), "is too large"),
    "20,000 x 10,000": (lambda: xlsx(cell("A1", 1) + cell("NTP20000", 20000)), "is too large"),
    "beyond all sheets": (lambda: xlsx(cell("A1", 1) + cell("ZZZZZZ99999999999", 3)), "is too large"),
    "a row beyond all sheets": (lambda: xlsx('<row r="4294967295"><c><v>1</v></c></row>'), "is too large"),
    "references in single quotes": (lambda: xlsx(cell("A1", 1) + cell("XFD1048576", 1048576).replace('"', "'")), "is too large"),
    "merged ranges": (lambda: xlsx(cell("A1", 1), "<mergeCells>" + '<mergeCell ref="A1:B20000"/>' * 200_000 + "</mergeCells>"), "merged cells"),
    "columns repeated": (lambda: ods(row(filled(2_000_000_000))), "repeats a cell 2000000000 times"),
    "rows repeated": (lambda: ods(row(filled(), 2_000_000_000)), "repeats a row 2000000000 times"),
    "spaces repeated": (lambda: ods(row(filled(text='a<text:s text:c="2000000000"/>b'))), "repeats a space 2000000000 times"),
    "a whole sheet repeated": (lambda: ods(row(filled(16_384), 1_048_576)), "the workbook cannot be read"),
}  # fmt: skip


@pytest.mark.parametrize("name", ATTACKS)
def test_an_attack_is_refused_with_a_sentence(name: str) -> None:
    make, words = ATTACKS[name]
    begun = perf_counter()
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(DocumentError) as refused:
        read_book(make())
    assert words in refused.value.problems[0]
    assert perf_counter() - begun < MOST_S
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200 * 1024  # KiB


def test_a_sheet_that_is_filled_to_its_end_by_one_repeated_row_is_read() -> None:
    """As office programs write them: an empty cell and an empty row repeated to the ends of the sheet."""
    empty = '<table:table-cell table:number-columns-repeated="16381"/>'
    book = read_book(
        ods(
            row(filled(text="name") + filled(text="kind") + empty)
            + row(filled(text="Kick") + filled(text="audio") + empty)
            + row('<table:table-cell table:number-columns-repeated="16384"/>', 1_048_574)
        )
    )
    assert [cells[:2] for _n, cells in book.parts[0].lines] == [["name", "kind"], ["Kick", "audio"]]


def test_convert_says_the_same(tmp_path: Path) -> None:
    path = tmp_path / "corners.xlsx"
    path.write_bytes(ATTACKS["corners"][0]())
    done = subprocess.run(
        [sys.executable, "-m", "lattice", "convert", str(path), "--to", "json"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 2
    assert "is too large" in done.stderr
    assert "Traceback" not in done.stderr


# in the process of its own


def hungry(_data: bytes) -> int:
    return len(bytearray(4 * 1024**3))


def endless(_data: bytes) -> int:
    while True:
        pass


def broken(_data: bytes) -> int:
    import os

    os.abort()


@pytest.mark.parametrize(
    ("what", "words"),
    [("hungry", "more memory"), ("endless", "more than 256 MiB of memory or 2 s"), ("broken", "cannot be read")],
)
def test_what_takes_too_much_or_breaks_ends_by_itself(what: str, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_apart(f"{__name__}:{what}", b"", int, "the file", Limits(memory_mib=256, seconds=2))


def test_nothing_but_ours_is_called() -> None:
    with pytest.raises(DocumentError, match="cannot be read"):
        read_apart("os:getcwd", b"", str, "the file")
