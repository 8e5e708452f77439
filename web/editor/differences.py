"""Differences of two templates as people say them, with names for ids."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lattice.changes.compare import Change
from lattice.edits.fields import plain_name
from lattice.model.document import Template

Names = dict[tuple[str, str], str]  # (what, id) → display name


def said(change: Change, names: Names) -> str:
    """One difference as people say it, with names for ids."""
    who = names.get((change.what, change.id), change.id)
    match change.change:
        case "added":
            return f"{who}: added"
        case "removed":
            return f"{who}: removed"
        case "moved":
            return f"{who} moves"
    field = plain_name(change.field)
    before, after = change.before, change.after
    if _are_pieces(before) and _are_pieces(after):
        inner = "; ".join(_pieces(before, after))
        return f"{who}, {field}: {inner}"
    return f"{who or 'the template'}: {field} {value_words(before, names)} → {value_words(after, names)}"


def _are_pieces(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(piece, dict) and "id" in piece for piece in value)


def _pieces(before: list[dict[str, Any]], after: list[dict[str, Any]]) -> Iterator[str]:
    """Inserts, outlets or parts that differ, each by name."""
    old, new = {piece["id"]: piece for piece in before}, {piece["id"]: piece for piece in after}
    yield from (f"without {_called(piece)}" for key, piece in old.items() if key not in new)
    yield from (f"with {_called(piece)}" for key, piece in new.items() if key not in old)
    for key, piece in new.items():
        was = old.get(key, piece)
        fields = [field for field in dict.fromkeys((*was, *piece)) if was.get(field) != piece.get(field)]
        if fields:
            parts = (f"{plain_name(f)} {_field(was, f)} → {_field(piece, f)}" for f in fields)
            yield f"{_called(piece)} {', '.join(parts)}"
    if [key for key in old if key in new] != [key for key in new if key in old]:
        yield "in a different order"


def _field(piece: dict[str, Any], name: str) -> str:
    """A field of a piece; a missing one has its default."""
    return value_words(piece[name], {}) if name in piece else "usual"


def _called(piece: dict[str, Any]) -> str:
    return str(piece.get("name") or piece.get("type") or piece["id"])


def value_words(value: Any, names: Names) -> str:
    """A value of a field as people say it."""
    match value:
        case None | [] | "":
            return "nothing"
        case bool():
            return "on" if value else "off"
        case str():
            return names.get(("strip", value)) or names.get(("section", value), value).removeprefix("section ")
        case int() | float():
            return f"{value:g}".replace("-", "−")
        case dict():
            return ", ".join(f"{plain_name(key)} {value_words(inner, {})}" for key, inner in value.items()) or "usual"
    return ", ".join(value_words(inner, names) for inner in value)


def names_of(template: Template) -> Names:
    """(what, id) → display name."""
    found = {("strip", one.id): one.name for one in template.strips}
    found |= {("section", one.id): f"section {one.name}" for one in template.sections}
    found |= {("stem", one.id): one.name for one in template.stems}
    found |= {("rule", one.id): f"rule {one.name}" for one in template.rules}
    strips = {one.id: one.name for one in template.strips}
    found |= {("route", r.id): f"{r.kind} {strips[r.from_strip]} → {strips[r.to]}" for r in template.routes}
    return found
