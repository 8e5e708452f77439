"""The difference of two templates as something to keep, apply and turn round.

A patch names pieces by id and holds them whole, before and after; applying it to the template it was
made on gives the other one exactly, order included, and applying its inverse gives the first again.
"""

from __future__ import annotations

from typing import Any, get_args

import msgspec
from msgspec.structs import replace

from lattice.formats.document_json import to_plain
from lattice.model.document import LISTS, Template

KINDS: dict[str, Any] = {
    field.name: get_args(field.type)[0] for field in msgspec.structs.fields(Template) if field.name in LISTS
}
FIELDS = tuple(field for field in Template.__struct_fields__ if field not in LISTS)


class ListPatch(msgspec.Struct, frozen=True, omit_defaults=True):
    """How one list changed. Positions are those in the list that has the piece."""

    removed: tuple[tuple[int, dict[str, Any]], ...] = ()
    added: tuple[tuple[int, dict[str, Any]], ...] = ()
    changed: tuple[tuple[dict[str, Any], dict[str, Any]], ...] = ()  # (before, after)
    order: tuple[tuple[str, ...], tuple[str, ...]] | None = None  # of the remaining ones, if it differs

    def inverse(self) -> ListPatch:
        """The change back."""
        turned = tuple((after, before) for before, after in self.changed)
        order = None if self.order is None else (self.order[1], self.order[0])
        return ListPatch(removed=self.added, added=self.removed, changed=turned, order=order)

    def onto(self, pieces: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """The change on plain pieces, as far as it can be made; nothing is checked."""
        gone = {plain["id"] for _at, plain in self.removed}
        after = {new["id"]: new for _before, new in self.changed}
        found = [after.get(piece["id"], piece) for piece in pieces if piece["id"] not in gone]
        if self.order is not None:
            place = {name: number for number, name in enumerate(self.order[1])}
            found.sort(key=lambda piece: place.get(piece["id"], len(place)))
        for at, plain in self.added:
            found.insert(at, plain)
        return found


class Patch(msgspec.Struct, frozen=True, omit_defaults=True):
    """How a template changed: its own fields as (before, after), and its lists."""

    fields: dict[str, tuple[Any, Any]] = {}
    lists: dict[str, ListPatch] = {}

    def inverse(self) -> Patch:
        """The inverse patch, for undo."""
        fields = {name: (after, before) for name, (before, after) in self.fields.items()}
        return Patch(fields, {name: changes.inverse() for name, changes in self.lists.items()})

    def __bool__(self) -> bool:
        return bool(self.fields or self.lists)

    def apply(self, template: Template) -> Template:
        """The template after the patch.

        Parameters
        ----------
        template
            The base version of the patch; only changed pieces are copied.

        Raises
        ------
        ValueError
            Where it is another state.
        """
        new: dict[str, Any] = {}
        for name, (before, after) in self.fields.items():
            if _plain(getattr(template, name)) != before:
                raise ValueError(f"{name} differs from the base of the patch")
            new[name] = after
        plain = {field.name: field.type for field in msgspec.structs.fields(Template)}
        new = {name: msgspec.convert(value, plain[name]) for name, value in new.items()}
        for name, changes in self.lists.items():
            new[name] = _patched(getattr(template, name), changes, KINDS[name])
        return replace(template, **new)

    def onto(self, document: dict[str, Any]) -> dict[str, Any]:
        """The patch on the plain data of a document that may not read as a template; nothing is checked."""
        new = {**document, **{name: after for name, (_before, after) in self.fields.items()}}
        for name, changes in self.lists.items():
            new[name] = changes.onto(document.get(name) or [])
        return new

    def dump(self) -> bytes:
        """JSON for storage."""
        return msgspec.json.encode(self)

    @staticmethod
    def load(data: bytes) -> Patch:
        """The patch that `dump` wrote."""
        return msgspec.json.decode(data, type=Patch)


def diff(before: Template, after: Template) -> Patch:
    """The patch from one template to another.

    Returns
    -------
    Patch
        `diff(a, b).apply(a) == b`, and its inverse leads back. O(size of the lists): shared pieces are compared by
        identity and cost nothing.
    """
    fields = {}
    for name in FIELDS:
        one, other = getattr(before, name), getattr(after, name)
        if one is not other and one != other:
            fields[name] = (_plain(one), _plain(other))
    lists = {}
    for name in LISTS:
        one, other = getattr(before, name), getattr(after, name)
        if one is not other:
            changes = _list_patch(one, other)
            if changes != ListPatch():
                lists[name] = changes
    return Patch(fields, lists)


def _plain(value: Any) -> Any:
    return msgspec.json.decode(msgspec.json.encode(to_plain(value)))


def _list_patch(before: tuple[Any, ...], after: tuple[Any, ...]) -> ListPatch:
    old, new = {piece.id: piece for piece in before}, {piece.id: piece for piece in after}
    removed = tuple((at, _plain(piece)) for at, piece in enumerate(before) if piece.id not in new)
    added = tuple((at, _plain(piece)) for at, piece in enumerate(after) if piece.id not in old)
    changed = tuple(
        (_plain(old[piece.id]), _plain(piece))
        for piece in after
        if piece.id in old and old[piece.id] is not piece and old[piece.id] != piece
    )
    stayed_before = tuple(piece.id for piece in before if piece.id in new)
    stayed_after = tuple(piece.id for piece in after if piece.id in old)
    order = None if stayed_before == stayed_after else (stayed_before, stayed_after)
    return ListPatch(removed, added, changed, order)


def _patched(pieces: tuple[Any, ...], changes: ListPatch, kind: Any) -> tuple[Any, ...]:
    known = {piece.id: piece for piece in pieces}
    for before in [*(plain for _at, plain in changes.removed), *(before for before, _after in changes.changed)]:
        if before["id"] not in known or _plain(known[before["id"]]) != before:
            raise ValueError(f"{before['id']} differs from the base of the patch")
    if any(plain["id"] in known for _at, plain in changes.added):
        raise ValueError("an item added by the patch exists already")
    for _before, after in changes.changed:
        known[after["id"]] = msgspec.convert(after, kind)
    gone = {plain["id"] for _at, plain in changes.removed}
    stay = [piece.id for piece in pieces if piece.id not in gone]
    if changes.order is not None:
        if tuple(stay) != changes.order[0]:
            raise ValueError("the order differs from the base of the patch")
        stay = list(changes.order[1])
    result = [known[piece] for piece in stay]
    for at, plain in changes.added:
        result.insert(at, msgspec.convert(plain, kind))
    return tuple(result)
