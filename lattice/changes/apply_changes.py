"""Apply single differences from another version of a template."""

from __future__ import annotations

from typing import Any

from msgspec.structs import fields, replace

from lattice.changes.compare import SINGULAR, Change, compare
from lattice.errors import EditError
from lattice.formats.gate import validated
from lattice.model.document import Template

LIST_OF = {singular: name for name, singular in SINGULAR.items()}


def key_of(change: Change) -> str:
    """Names one difference among those of two templates."""
    return "/".join((change.change, change.what, change.id, change.field))


def may_be_taken(change: Change) -> bool:
    """Order is not applied alone: an added piece goes to its old position."""
    return change.change != "moved"


def take_over(template: Template, other: Template, keys: list[str]) -> Template:
    """A template with some of its differences to another one as they are there.

    Parameters
    ----------
    template
        The state to change.
    other
        The state to take from.
    keys
        The differences wanted, as `key_of` names them.

    Raises
    ------
    EditError
        For keys that are none of the differences, or no key at all.
    DocumentError
        If the result is not valid, like a route without one of its strips.
    """
    wanted = set(keys)
    found = {key_of(change): change for change in compare(template, other) if may_be_taken(change)}
    missing = sorted(wanted - found.keys())
    if missing or not wanted:
        raise EditError(
            *(f"change {key} does not exist" for key in missing), *([] if wanted else ["no change selected"])
        )
    before = template
    for key in sorted(wanted, key=list(found).index):
        template = _taken(template, other, found[key])
    return validated(before, template)


def _taken(template: Template, other: Template, change: Change) -> Template:
    if change.what == "template":
        return replace(template, **{change.field: getattr(other, change.field)})
    name = LIST_OF[change.what]
    pieces: tuple[Any, ...] = getattr(template, name)
    theirs: tuple[Any, ...] = getattr(other, name)
    if change.change == "removed":
        return replace(template, **{name: tuple(taken for taken in pieces if taken.id != change.id)})
    taken = next(taken for taken in theirs if taken.id == change.id)
    if change.change == "added":
        return replace(template, **{name: _placed(pieces, theirs, taken)})
    attribute = next(field.name for field in fields(type(taken)) if field.encode_name == change.field)
    mine = (
        replace(old, **{attribute: getattr(taken, attribute)}) if old.id == change.id else old for old in pieces
    )  # fmt: skip
    return replace(template, **{name: tuple(mine)})


def _placed(pieces: tuple[Any, ...], theirs: tuple[Any, ...], piece: Any) -> tuple[Any, ...]:
    """Behind the nearest piece before it that is here too; first where there is none."""
    before = {other.id for other in theirs[: theirs.index(piece)]}
    at = max((place + 1 for place, mine in enumerate(pieces) if mine.id in before), default=0)
    return (*pieces[:at], piece, *pieces[at:])
