"""Files with tables: their content, and the ones refused before they cost anything."""

from __future__ import annotations

import io
import zipfile

import pytest
import xlsxwriter

from lattice.errors import DocumentError
from lattice.formats.tables import workbooks
from lattice.formats.tables.books import delimiter_of, read_book
from lattice.formats.tables.sheets import MOST_ROWS, letters

ROWS = [["Track", "Level"], ["Kick", "-3"], ["Snare", "-4.5"]]


def cells(data: bytes, **choices: str) -> list[list[str]]:
    return [line for _number, line in read_book(data, **choices).parts[0].lines]


def workbook(fill=None, **options: object) -> bytes:  # type: ignore[no-untyped-def]
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True, **options}) as book:
        sheet = book.add_worksheet("Channels")
        if fill:
            fill(book, sheet)
        else:
            for number, row in enumerate(ROWS):
                sheet.write_row(number, 0, row)
    return out.getvalue()


SPACES = " ".join(
    f'xmlns:{short}="urn:oasis:names:tc:opendocument:xmlns:{short}:1.0"' for short in ("office", "table", "text")
)
ODS_CELL = '<table:table-cell office:value-type="string"><text:p>{}</text:p></table:table-cell>'
ODS = """<office:document-content {}><office:body><office:spreadsheet><table:table table:name="Channels">{}</table:table>
</office:spreadsheet></office:body></office:document-content>"""


def open_document(manifest: str = "<manifest/>") -> bytes:
    """A small ODS file, written by hand (OpenDocument 1.2)."""
    rows = ("".join(map(ODS_CELL.format, row)) for row in ROWS)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("META-INF/manifest.xml", manifest)
        packed.writestr(
            "content.xml", ODS.format(SPACES, "".join(f"<table:table-row>{row}</table:table-row>" for row in rows))
        )
    return out.getvalue()


TEXT = "Track;Level\nKick;-3\nSnare;-4.5\n"
FORMS = {
    "semicolons": TEXT.encode(),
    "tabs, UTF-16 with a mark": TEXT.replace(";", "\t").encode("utf-16"),
    "commas, UTF-16 without one": TEXT.replace(";", ",").encode("utf-16-le"),
    "bars, big-endian": TEXT.replace(";", "|").encode("utf-16-be"),
    "gaps": TEXT.replace(";", "      ").encode(),
    "a mark, carriage returns": b"\xef\xbb\xbf" + TEXT.replace("\n", "\r\n").encode(),
    "announced": b"sep=;\n" + TEXT.encode(),
    "a workbook": workbook(),
    "an open document": open_document(),
}


@pytest.mark.parametrize("data", FORMS.values(), ids=FORMS)
def test_tables_are_read_from_every_usual_form(data: bytes) -> None:
    assert cells(data) == ROWS


@pytest.mark.parametrize(
    ("data", "encoding", "text"),
    [
        ("Gitarre größer\n".encode(), "utf-8", "Gitarre größer"),
        ("Gitarre größer\n".encode("cp1252"), "cp1252", "Gitarre größer"),
        ("Grande flûte “1”\n".encode("cp1252"), "cp1252", "Grande flûte “1”"),
        ("Gitarre größer\n".encode("mac_roman"), "mac_roman", "Gitarre größer"),
    ],
)
def test_the_encoding_is_found_out(data: bytes, encoding: str, text: str) -> None:
    book = read_book(data)
    assert (book.encoding, book.parts[0].lines[0][1]) == (encoding, [text])


def test_an_encoding_may_be_said() -> None:
    data = "Бочка;-3\n".encode("cp1251")
    assert cells(data, encoding="cp1251") == [["Бочка", "-3"]]
    with pytest.raises(DocumentError, match="row 1 is not UTF-8"):
        read_book(data, encoding="utf-8")
    with pytest.raises(DocumentError, match="klingon is not one of"):
        read_book(data, encoding="klingon")


@pytest.mark.parametrize(
    ("text", "delimiter"),
    [
        ("a,b\nc,d\n", ","), ("a;b\n1,5;2,5\n", ";"), ("a\tb, c\nd\te\n", "\t"), ("Violins, long\nViola\nBass\n", "\t"),
        ("Kick\nSnare\n", "\t"), ("a|b\nc|d\n", "|"), ("Kick   audio\nSnare   audio\n", "  "),
    ],
)  # fmt: skip
def test_what_stands_between_cells_is_found_out(text: str, delimiter: str) -> None:
    assert delimiter_of(text) == delimiter


def fill_oddly(book, sheet) -> None:  # type: ignore[no-untyped-def]
    sheet.merge_range("A1:C1", "A title over three")
    sheet.write_row("A2", ["Group", "Track", "Level"])
    sheet.merge_range("A3:A5", "Drums")
    for row, (name, level) in enumerate((("Kick", -3), ("Snare", -4.5), ("Tom", 0)), start=3):
        sheet.write(f"B{row}", name)
        sheet.write(f"C{row}", level)
    sheet.write_formula("C5", "=C3*2", None, -6)
    sheet.write_formula("D5", "=1/0", None, "#DIV/0!")
    sheet.write_boolean("D3", True)
    book.add_worksheet("Notes").write("A1", "by Ada")
    book.add_worksheet("Hidden").hide()


def test_merged_cells_hold_for_every_row_and_formulas_have_their_values() -> None:
    book = read_book(workbook(fill_oddly))
    assert [part.name for part in book.parts] == ["Channels", "Notes"]
    assert [line for _number, line in book.parts[0].lines] == [
        ["A title over three", "", "", ""],
        ["Group", "Track", "Level", ""],
        ["Drums", "Kick", "-3", "yes"],
        ["Drums", "Snare", "-4.5", ""],
        ["Drums", "Tom", "-6", ""],
    ]
    assert book.parts[0].notes == ("1 merged cells apply to every row they span",)


def test_macros_are_passed_over(tmp_path) -> None:  # type: ignore[no-untyped-def]
    out = io.BytesIO(workbook())
    with zipfile.ZipFile(out, "a") as packed:
        packed.writestr("xl/vbaProject.bin", b"Sub Auto_Open")
    assert cells(out.getvalue()) == ROWS


def bomb() -> bytes:
    out = io.BytesIO(workbook())
    with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/media/zeros.bin", bytes(4 * 1024 * 1024))
    return out.getvalue()


def lying() -> bytes:
    """A member with a false small size."""
    data = bytearray(bomb())
    at = data.rindex(b"PK\x01\x02")
    data[at + 24 : at + 28] = (100).to_bytes(4, "little")
    return bytes(data)


def scrambled() -> bytes:
    """The last member's stream begins with a block of no type that deflate knows (RFC 1951)."""
    data = bytearray(bomb())
    at = data.rindex(b"PK\x03\x04") + 30 + len("xl/media/zeros.bin")
    data[at] = 0xFF
    return bytes(data)


def pointing_nowhere() -> bytes:
    """The file begins after it ends, by its directory: offsets become negative."""
    data = bytearray(workbook())
    at = data.rindex(b"PK\x05\x06")
    data[at + 16 : at + 20] = (2**31).to_bytes(4, "little")
    return bytes(data)


COMPOUND = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600)
WRONG = {
    "a password": (COMPOUND + "EncryptedPackage".encode("utf-16-le"), "the workbook has a password"),
    "a password, open document": (open_document("<manifest:encryption-data/>"), "the workbook has a password"),
    "an older workbook that is none": (COMPOUND, "the workbook cannot be read"),
    "another archive": (open_document().replace(b"content.xml", b"connect.xml"), "an archive, not a workbook"),
    "cut off": (workbook()[:900], "the workbook is damaged"),
    "bytes changed": (scrambled(), "the workbook is damaged"),
    "points nowhere": (pointing_nowhere(), "the workbook is damaged"),
    "lies about its size": (lying(), "the workbook is damaged"),
    "nothing in it": (workbook(lambda _book, _sheet: None), "no sheet with a filled cell"),
    "many rows": (b"Track\n" * (MOST_ROWS + 1), f"more than {MOST_ROWS} rows"),
    "many rows, gaps": (b"Kick   audio\n" * (MOST_ROWS + 1), f"at most {MOST_ROWS} are allowed"),
    "many rows in a workbook": (workbook(lambda _book, sheet: sheet.write(99_999, 0, "x")), "has 100000 rows; at most 20000"),
    "many columns in a workbook": (workbook(lambda _book, sheet: sheet.write(0, 300, "x")), "has 301 columns; at most 256"),
    "encodings mixed": ("größer\n".encode() + "kleiner größer\n".encode("cp1252"), "row 1 is UTF-8 text, row 2 is not"),
    "a recording": (b"RIFF....WAVEfmt ", "a recording or another RIFF file, not a table"),
    "zeros": (b"a\0b\0\0", "Not a text file"),
    "nothing": (b" \n", "the table is empty"),
    "large": (b"x" * (17 * 1024 * 1024), "the table has 17 MiB; at most 16"),
}  # fmt: skip


@pytest.mark.parametrize(("data", "words"), WRONG.values(), ids=WRONG)
def test_what_is_no_table_is_refused_with_a_sentence(data: bytes, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_book(data)


def test_a_bomb_is_stopped_where_it_grows_beyond_what_a_workbook_has(monkeypatch: pytest.MonkeyPatch) -> None:
    assert cells(bomb()) == ROWS
    monkeypatch.setattr(workbooks, "MOST_UNPACKED", 3 * 1024 * 1024)
    with pytest.raises(DocumentError, match="has more than 3 MiB"):
        read_book(bomb())


def test_columns_are_called_as_spreadsheets_call_them() -> None:
    assert [letters(column) for column in (0, 25, 26, 701, 702)] == ["A", "Z", "AA", "ZZ", "AAA"]
