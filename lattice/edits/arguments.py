"""Arguments of edits: each with its name, type, unit, range and label, defined once beside the edit.

Forms, parsing, previews, history texts and the check of plain arguments all follow from it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import KW_ONLY, dataclass
from typing import Any

import msgspec

from lattice.edits.fields import Field, fields_of, words_of
from lattice.errors import EditError
from lattice.model.document import MOST_DB, Insert, Route, Strip, Template
from lattice.model.units import parse_db, parse_whole, words_db

Form = Mapping[str, Sequence[str]]  # posted values: name → values
REQUIRED: Any = object()


def text_of(form: Form, name: str) -> str | None:
    """The last value of a name in a form, as a browser means it; None where it was not posted."""
    values = form.get(name)
    return values[-1] if values else None


@dataclass(frozen=True)
class Argument:
    """One argument of an edit. Subclasses say how it is read, checked and put into words."""

    name: str
    label: str = ""
    _: KW_ONLY
    default: Any = REQUIRED  # the function's default

    @property
    def words(self) -> str:
        """The name of its form field."""
        return self.label or self.name.replace("_", " ")

    def given(self, form: Form) -> bool:
        """Return whether a form has the field."""
        return self.name in form

    def read(self, form: Form, template: Template) -> Any:
        """The value in a form. Raises EditError with the reason if it is wrong."""
        text = text_of(form, self.name)
        if text is None or (not text.strip() and self.default is REQUIRED):
            raise EditError(f"{self.name} is missing")
        return self.parsed(text, template)

    def parsed(self, text: str, template: Template) -> Any:
        """The value of a typed text."""
        return text.strip()

    def said(self, value: Any, template: Template) -> str:
        """A value as text for the history."""
        return str(value)

    def problem(self, value: Any) -> str | None:
        """Why a plain value is none for this argument; None where it is one."""
        is_usual = value is None and self.default is None
        return None if is_usual or isinstance(value, str) else f"{value!r} is not text"


@dataclass(frozen=True)
class Text(Argument):
    """Free text; an empty field is the default, if there is one."""

    def parsed(self, text: str, template: Template) -> Any:
        usual = "" if self.default is REQUIRED else self.default
        return text.strip() or usual


@dataclass(frozen=True)
class Choice(Argument):
    """One of a few words."""

    options: tuple[str, ...] = ()

    def problem(self, value: Any) -> str | None:
        return None if value in self.options else f"{value} is not one of {', '.join(self.options)}"


@dataclass(frozen=True)
class Whole(Argument):
    """A whole number within a range."""

    low: int = 0
    high: int = 1_000_000

    def parsed(self, text: str, template: Template) -> int | None:
        if not text.strip():
            return None if self.default is REQUIRED else self.default
        try:
            return parse_whole(text)
        except ValueError as wrong:
            raise EditError(f"{self.words}: {wrong}") from None

    def problem(self, value: Any) -> str | None:
        if value is None and self.default is None:
            return None
        is_whole = isinstance(value, int) and not isinstance(value, bool)
        return None if is_whole and self.low <= value <= self.high else f"{value} is not {self.low} to {self.high}"


@dataclass(frozen=True)
class Level(Argument):
    """A level in dB, or off (None)."""

    unit: str = "dB"

    def parsed(self, text: str, template: Template) -> float | None:
        if not text.strip() and self.default is not REQUIRED:
            usual: float | None = self.default
            return usual
        try:
            return parse_db(text)
        except ValueError as wrong:
            raise EditError(f"{self.words}: {wrong}") from None

    def said(self, value: Any, template: Template) -> str:
        return f"{words_db(value)} {self.unit}"

    def problem(self, value: Any) -> str | None:
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        is_usual = self.default is not REQUIRED and value == self.default
        if value is None or is_usual or (is_number and abs(value) <= MOST_DB):  # NaN and ∞ are not
            return None
        return f"{value!r} is not a level: −{MOST_DB} to {MOST_DB} dB, or null for off"


@dataclass(frozen=True)
class Flag(Argument):
    """Yes or no; a form without the field means no."""

    def parsed(self, text: str, template: Template) -> bool:
        return text.lower() in {"on", "true", "yes", "1"}

    def problem(self, value: Any) -> str | None:
        return None if isinstance(value, bool) else f"{value!r} is not true or false"


@dataclass(frozen=True)
class Lines(Argument):
    """Names, one a line."""

    def read(self, form: Form, template: Template) -> list[str]:
        text = text_of(form, self.name)
        if text is None:
            raise EditError(f"{self.name} is missing")
        return self.parsed(text, template)

    def parsed(self, text: str, template: Template) -> list[str]:
        return [line.strip() for line in text.splitlines() if line.strip()]

    def said(self, value: Any, template: Template) -> str:
        return str(len(value))

    def problem(self, value: Any) -> str | None:
        return _not_texts(value)


@dataclass(frozen=True)
class Rows(Lines):
    """Lines as they are pasted: a row of a table may begin or end with empty cells."""

    def parsed(self, text: str, template: Template) -> list[str]:
        return text.splitlines()


@dataclass(frozen=True)
class Words(Lines):
    """Words or ids, with spaces or commas between; a form may name it several times."""

    def read(self, form: Form, template: Template) -> list[str]:
        return [word for text in form.get(self.name, ()) for word in text.replace(",", " ").split()]


@dataclass(frozen=True)
class Piece(Argument):
    """The id of one piece of the template: a strip, section, route, insert and so on."""

    kind: str = "strip"
    may_be_none: bool = False  # an empty choice means none

    def read(self, form: Form, template: Template) -> str | None:
        if self.may_be_none and self.given(form) and not (text_of(form, self.name) or "").strip():
            return None
        found: str | None = super().read(form, template)
        return found

    def parsed(self, text: str, template: Template) -> str | None:
        wanted = text.strip()
        if not wanted:
            return None
        piece_named(template, self.kind, wanted)
        return wanted

    def said(self, value: Any, template: Template) -> str:
        return name_of(template, self.kind, value) if value else f"no {self.words}"

    def problem(self, value: Any) -> str | None:
        is_none = value is None and (self.may_be_none or self.default is None)
        return None if is_none or isinstance(value, str) else f"{value!r} is not an ID"


@dataclass(frozen=True)
class Pieces(Argument):
    """Ids of several pieces, of the kind named, with spaces between."""

    kind: str = "strip"

    def read(self, form: Form, template: Template) -> list[str]:
        wanted = {word for text in form.get(self.name, ()) for word in text.split()}
        found = [piece.id for piece in pieces_of_kind(template, self.kind) if piece.id in wanted]
        if not found and len(wanted) == 1 and self.kind != "strip":
            raise EditError(f"{self.kind} {wanted.pop()} does not exist; it may have been removed")
        if not found:
            raise EditError(f"no {self.kind} selected")
        return found

    def said(self, value: Any, template: Template) -> str:
        return name_of(template, self.kind, value[0]) if len(value) == 1 else f"{len(value)} {self.kind}s"

    def problem(self, value: Any) -> str | None:
        may_be_none = value is None and self.default is None
        return None if may_be_none else _not_texts(value)


@dataclass(frozen=True)
class PieceOf(Argument):
    """The id of an outlet or a part of the instrument that the argument `strip` names."""

    kind: str = "outlet"

    def said(self, value: Any, template: Template) -> str:
        return str(value)

    def problem(self, value: Any) -> str | None:
        return None if isinstance(value, str) else f"{value!r} is not an ID"


@dataclass(frozen=True)
class Fields(Argument):
    """Some fields of a piece, which forms name flat; those of `within` only, where that is given."""

    piece: type[msgspec.Struct] = Strip
    within: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    said_by: str = "name"  # the field that names it where all fields are new

    @property
    def fields(self) -> dict[str, Field]:
        """The fields a form may say."""
        known = fields_of(self.piece)
        return {
            name: field
            for name, field in known.items()
            if name not in self.without and (not self.within or name in self.within)
        }

    def given(self, form: Form) -> bool:
        return self.default is REQUIRED or not self.fields.keys().isdisjoint(form)

    def read(self, form: Form, template: Template) -> dict[str, Any]:
        changes: dict[str, Any] = {}
        problems = []
        for name, field in self.fields.items():
            text = text_of(form, name)
            if text is not None:
                try:
                    changes[name] = field.read(text, template)
                except ValueError as wrong:
                    sentence = str(wrong) if "“" in str(wrong) else f"“{text}” is not a number"
                    problems.append(f"{field.label}: {sentence}")
        if problems:
            raise EditError(*problems)
        if not changes and self.default is REQUIRED:
            raise EditError("no change given")
        return changes

    def said(self, value: Any, template: Template) -> str:
        return words_of(value) if self.name == "changes" else str(value.get(self.said_by, ""))

    def problem(self, value: Any) -> str | None:
        is_fields = isinstance(value, dict) and all(isinstance(name, str) for name in value)
        return None if is_fields else f"{value!r} is not an object of fields"


@dataclass(frozen=True)
class Plain(Argument):
    """A list of objects without a form field: fixes and programs supply it."""

    def problem(self, value: Any) -> str | None:
        may_be_none = value is None and self.default is None
        is_objects = isinstance(value, list | tuple) and all(isinstance(entry, dict) for entry in value)
        return None if may_be_none or is_objects else f"{value!r} is not a list of objects"


@dataclass(frozen=True)
class Object(Argument):
    """An object without a form field: a block, or answers by name."""

    def problem(self, value: Any) -> str | None:
        is_usual = value is None and self.default is None
        is_object = isinstance(value, dict) and all(isinstance(name, str) for name in value)
        return None if is_usual or is_object else f"{value!r} is not an object"


def _not_texts(value: Any) -> str | None:
    is_texts = isinstance(value, list | tuple) and all(isinstance(word, str) for word in value)
    return None if is_texts else f"{value!r} is not a list of texts"


def pieces_of_kind(template: Template, kind: str) -> Iterable[Any]:
    """All pieces of a template that are of a kind: strip, section, route, insert and so on."""
    if kind == "insert":
        return (insert for strip in template.strips for insert in strip.inserts)
    pieces: tuple[Any, ...] = getattr(template, f"{kind}s")
    return pieces


def piece_named(template: Template, kind: str, wanted: str) -> Any:
    """The piece of an id. Raises EditError where there is none (any more)."""
    for piece in pieces_of_kind(template, kind):
        if piece.id == wanted:
            return piece
    raise EditError(f"{kind} {wanted} does not exist; it may have been removed")


def name_of(template: Template, kind: str, wanted: str) -> str:
    """How people call a piece: its name, “feed Kick → Drum bus”, “Kick, Low cut”; its id where it is not there."""
    named = next((known for known in pieces_of_kind(template, kind) if known.id == wanted), None)
    if named is None:
        return wanted
    if isinstance(named, Route):
        names = {strip.id: strip.name for strip in template.strips}
        return f"{named.kind} {names[named.from_strip]} → {names[named.to]}"
    if isinstance(named, Insert):
        host = next(strip for strip in template.strips if named in strip.inserts)
        return f"{host.name}, {named.name or named.id}"
    return str(named.name or named.id)


def names_in(template: Template, strip: str, pieces: str, ids: Sequence[str]) -> tuple[str, str]:
    """(name of an instrument, names of some of its outlets or parts). Raises EditError where it has not all of them."""
    host = piece_named(template, "strip", strip)
    known = {piece.id: piece.name or piece.id for piece in getattr(host, pieces)}
    missing = [wanted for wanted in ids if wanted not in known]
    if missing:
        raise EditError(f"{pieces.removesuffix('s')} {missing[0]} does not exist; it may have been removed")
    return host.name, ", ".join(known[wanted] for wanted in ids)
