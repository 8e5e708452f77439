"""Text from bytes in any encoding that spreadsheets and lists usually have."""

from __future__ import annotations

import codecs
import re

from lattice.errors import DocumentError

# Choices if the detection is wrong: encoding → common name.
ENCODINGS = {
    "utf-8": "UTF-8", "utf-16": "UTF-16", "cp1252": "Western (Windows)", "mac_roman": "Western (Mac OS)",
    "cp1250": "Central European (Windows)", "cp1251": "Cyrillic (Windows)", "cp932": "Japanese (Shift JIS)",
    "gb18030": "Chinese (GB 18030)", "cp949": "Korean (Windows)",
}  # fmt: skip
BEYOND_ASCII = re.compile(rb"[\xc2-\xdf][\x80-\xbf]|[\xe0-\xef][\x80-\xbf]{2}|[\xf0-\xf4][\x80-\xbf]{3}")
# C1 controls: no text has them, so bytes that become one are of another encoding.
IN_WORDS = re.compile("(?<=[^\\W\\d_])[^\\w\\s\x00-\x7f’‘-](?=[^\\W\\d_])")
ODD = re.compile("[\x80-\x9f]")


def decoded(data: bytes, encoding: str | None = None) -> tuple[str, str]:
    """The text of a file, and the encoding it is in.

    Parameters
    ----------
    data
        The file.
    encoding
        One of ENCODINGS; None to find out.

    Raises
    ------
    DocumentError
        If it is not text, or text of two encodings.
    """
    if encoding:
        return _as(data, encoding), encoding
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return _as(data, "utf-16"), "utf-16"
    if b"\0" in data:
        return _wide(data), "utf-16"
    try:
        return data.decode("utf-8-sig"), "utf-8"
    except UnicodeDecodeError as wrong:
        _refuse_mixed(data, wrong)
    western = data.decode("cp1252", errors="replace")
    other = data.decode("mac_roman")
    is_other = "\ufffd" in western or ODD.search(western) or _odd_signs(western) > _odd_signs(other)
    return (other, "mac_roman") if is_other else (western, "cp1252")


def _odd_signs(text: str) -> int:
    """Symbols within words: many of them indicate a wrong encoding."""
    return len(IN_WORDS.findall(text))


def _as(data: bytes, encoding: str) -> str:
    if encoding not in ENCODINGS:
        raise DocumentError([f"{encoding} is not one of {', '.join(ENCODINGS)}"])
    try:
        text = data.decode("utf-8-sig" if encoding == "utf-8" else encoding)
    except UnicodeDecodeError as wrong:
        row = data[: wrong.start].count(b"\n") + 1
        raise DocumentError([f"row {row} is not {ENCODINGS[encoding]} (byte 0x{data[wrong.start]:02x})"]) from None
    if "\0" in text:
        raise DocumentError(["Not a text file. Use CSV, XLSX or ODS."])
    return text


def _wide(data: bytes) -> str:
    """UTF-16 without a byte order mark: in mostly Latin text every other byte is zero."""
    little = data[1::2].count(0) >= data[::2].count(0)
    text = data.decode("utf-16-le" if little else "utf-16-be", errors="replace")
    if "\ufffd" in text or "\0" in text or len(data) % 2:
        raise DocumentError(["Not a text file. Use CSV, XLSX or ODS."])
    return text


def _refuse_mixed(data: bytes, wrong: UnicodeDecodeError) -> None:
    """Lines of UTF-8 beside lines of another encoding come from joined files: no single decoding suits both."""
    for number, line in enumerate(data.splitlines(), start=1):
        if BEYOND_ASCII.search(line) and _is_utf8(line):
            odd, byte = data[: wrong.start].count(b"\n") + 1, data[wrong.start]
            said = f"row {number} is UTF-8 text, row {odd} is not (byte 0x{byte:02x}); save it in one encoding"
            raise DocumentError([said])


def _is_utf8(line: bytes) -> bool:
    try:
        line.decode()
    except UnicodeDecodeError:
        return False
    return True
