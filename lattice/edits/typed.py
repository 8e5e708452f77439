"""Edits typed as words: `field=value`, values as people type them, pieces by id or by a name that is theirs alone.

For scripts: every edit of the registry can be listed with its arguments, and made by its name.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import msgspec

from lattice.edits.arguments import (
    REQUIRED,
    Argument,
    Choice,
    Fields,
    Object,
    Piece,
    PieceOf,
    Pieces,
    Plain,
    Whole,
    pieces_of_kind,
)
from lattice.edits.described import Edit
from lattice.edits.registry import edit_named
from lattice.errors import EditError
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from lattice.model.names import ambiguous

# Fields that name another piece, in any edit.
REFERENCES = {
    "from": "strip", "to": "strip", "bus": "strip", "strip": "strip", "print": "strip", "section": "section",
    "parent": "section", "machine": "machine", "to_insert": "insert",
}  # fmt: skip


def described(edit: Edit) -> dict[str, Any]:
    """An edit with its arguments, as `lattice edits --json` lists it."""
    summary = " ".join((edit.function.__doc__ or "").split("\n\n")[0].split())
    return {
        "name": edit.name,
        "does": summary,
        "permission": edit.permission,
        "arguments": [_argument(argument) for argument in edit.arguments],
    }


def _argument(argument: Argument) -> dict[str, Any]:
    said: dict[str, Any] = {"name": argument.name, "type": type(argument).__name__.lower(), "label": argument.words}
    said["required"] = argument.default is REQUIRED
    if argument.default is not REQUIRED:
        said["default"] = msgspec.to_builtins(argument.default)
    if isinstance(argument, Choice):
        said["options"] = list(argument.options)
    if isinstance(argument, Whole):
        said["range"] = [argument.low, argument.high]
    if isinstance(argument, Piece | Pieces | PieceOf):
        said["of"] = argument.kind
    if isinstance(argument, Fields):
        said["fields"] = {name: field.label for name, field in argument.fields.items()}
    return said


def typed(template: Template, name: str, words: Iterable[str]) -> EditStep:
    """The step that words say.

    Parameters
    ----------
    template
        The template that it is to be made on.
    name
        Of the edit.
    words
        `field=value`; a field with several values is repeated. A piece is given by its id, or by its name if that is
        unique in its kind; several ids also with commas. Objects and lists of objects are JSON.

    Raises
    ------
    EditError
        Where the edit, a field or a piece is not known, or a value is none for its field.
    """
    edit = edit_named(name)
    form: dict[str, list[str]] = {}
    for word in words:
        field, equals, value = word.partition("=")
        if not equals:
            raise EditError(f"“{word}” is not field=value")
        form.setdefault(field.strip(), []).append(value)
    known = _fields_of(edit)
    unknown = [field for field in form if field not in known]
    if unknown:
        takes = f"; use {', '.join(known)}" if known else ""
        raise EditError(*(f"{name} has no field {field}{takes}" for field in unknown))
    plain = {
        argument.name: _json(argument.name, form.pop(argument.name)[-1])
        for argument in edit.arguments
        if isinstance(argument, Plain | Object) and argument.name in form
    }
    kinds = REFERENCES | {a.name: a.kind for a in edit.arguments if isinstance(a, Piece | Pieces)}
    several = {argument.name for argument in edit.arguments if isinstance(argument, Pieces)}
    for field, values in form.items():
        if field in kinds:
            form[field] = _ids(template, kinds[field], values, is_many=field in several)
    needed = (a for a in edit.arguments if a.name not in plain and (a.default is REQUIRED or a.given(form)))
    return EditStep(name, {argument.name: argument.read(form, template) for argument in needed} | plain)


def _fields_of(edit: Edit) -> list[str]:
    """The fields that words may name, in the order of the arguments."""
    found: list[str] = []
    for argument in edit.arguments:
        found += argument.fields if isinstance(argument, Fields) else [argument.name]
    return list(dict.fromkeys(found))


def _json(field: str, text: str) -> Any:
    try:
        return msgspec.json.decode(text)
    except msgspec.DecodeError as wrong:
        raise EditError(f"{field} is JSON: {wrong}") from None


def _ids(template: Template, kind: str, values: Sequence[str], *, is_many: bool) -> list[str]:
    """Values with names replaced by ids; an unknown name stays, for the edit to refuse."""
    pieces = list(pieces_of_kind(template, kind))
    ids = {piece.id for piece in pieces}
    named: dict[str, list[str]] = {}
    for piece in pieces:
        named.setdefault(str(getattr(piece, "name", "")).casefold(), []).append(piece.id)

    def one(text: str) -> str | None:
        head, slash, rest = text.strip().partition("/")
        for whole, tail in ((text.strip(), ""), (head, slash + rest)):
            if whole in ids:
                return whole + tail
            found = named.get(whole.casefold(), []) if whole else []
            if len(found) > 1:
                raise EditError(ambiguous(whole, found, kind))
            if found:
                return found[0] + tail
        return None

    meant: list[str] = []
    for text in values:
        whole = one(text)
        if whole is None and is_many:
            parts = text.split(",") if "," in text else text.split()
            unknown = [part.strip() for part in parts if one(part) is None]
            if unknown:
                raise EditError(*(f"{kind} {part} does not exist" for part in unknown))
            meant += [one(part) or "" for part in parts]
        else:
            meant.append(text if whole is None else whole)
    return meant
