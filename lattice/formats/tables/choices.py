"""A user's choices for a table, in place of detection; as JSON, for use with the next one."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from typing import Literal

import msgspec

from lattice.errors import DocumentError
from lattice.formats.tables.headers import FIELD_OF, NOTED
from lattice.formats.tables.sheets import letters

SectionsFrom = Literal["column", "headings", "blanks", "prefix", "none"]
SEND_FIELDS = ("send", "send level", "send tap", "send to")


class Choices(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """The chosen meanings; None and missing keys are detected."""

    encoding: str | None = None
    delimiter: str | None = None
    part: str | None = None  # the name of a workbook's sheet
    head_row: int | None = None  # its number from 1; 0: there is none
    columns: dict[str, str] = {}  # head (`keys_of`) → field, `send level:a`, noted, or empty for left out
    words: dict[str, dict[str, str]] = {}  # field → word, folded → meaning
    routing: Literal["strip", "bus"] | None = None
    sections: SectionsFrom | None = None
    destinations: dict[str, str] = {}  # folded name → bus, return, output, master, leave, or = and a strip's name
    cells: dict[str, str] = {}  # “12/fader_db” → replacement
    roles: dict[str, str] = {}  # row number, or the words a kind was read from, joined by _ → kind
    wire: bool | None = None  # names without routes are wired up; None: they are
    keep_apart: list[str] = []  # when it is merged: ids of strips that no row is taken for by a name alike

    def dump(self) -> bytes:
        """JSON, laid out for reading."""
        return msgspec.json.format(msgspec.json.encode(self), indent=2)

    def for_next(self) -> Choices:
        """The choices for columns and words, for the next table with the same heads; without single rows and cells."""
        return Choices(columns=self.columns, words=self.words, routing=self.routing, sections=self.sections)


def load_choices(data: bytes) -> Choices:
    """Choices from JSON. Raises DocumentError with the place of the error."""
    try:
        choices = msgspec.json.decode(data, type=Choices)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as wrong:
        raise DocumentError([f"these are not choices for a table: {wrong}"]) from None
    unknown = [said for said in choices.columns.values() if not is_field(said)]
    if unknown:
        raise DocumentError([f"columns: “{said}” is not a field of a table" for said in unknown])
    return choices


def is_field(said: str) -> bool:
    """Return whether a column may be that: a field, a part of a send with its slot, noted, or left out."""
    field, colon, slot = said.partition(":")
    return bool(slot) and field in SEND_FIELDS if colon else said in ("", NOTED, *FIELD_OF.values())


def keys_of(heads: Iterable[str]) -> list[str]:
    """The names of columns in choices: their heads, folded, numbered if repeated; else their letters."""
    keys: list[str] = []
    for at, head in enumerate(heads):
        key = " ".join(head.casefold().split()) or letters(at)
        number = 2
        wanted = key
        while key in keys:
            key, number = f"{wanted} #{number}", number + 1
        keys.append(key)
    return keys


def fingerprint(heads: Iterable[str]) -> str:
    """The signature of tables with the same heads, in any order; empty without heads."""
    said = sorted(" ".join(head.casefold().split()) for head in heads if head.strip())
    return hashlib.sha256("\n".join(said).encode()).hexdigest()[:40] if said else ""
