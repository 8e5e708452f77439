"""An edit in conflict with later ones: the common fields, with both versions."""

from __future__ import annotations

from typing import Any, NamedTuple

from lattice.changes.rebase import MISSING, Conflict
from lattice.edits.fields import plain_name
from web.editor.differences import Names, names_of, value_words
from web.shelf.history import EditConflictError, StaleVersionError

SHOWN_ENTRIES, SHOWN_CLASHES = 6, 8


class Row(NamedTuple):
    """One conflict in words: its subject, and the old, own and current values."""

    what: str
    was: str
    ours: str
    theirs: str


def context(stale: StaleVersionError) -> dict[str, Any]:
    """The content of the notice: later edits, and the conflicting ones."""
    context: dict[str, Any] = {"since": stale.since[-SHOWN_ENTRIES:], "more": len(stale.since) - SHOWN_ENTRIES}
    context["version"] = max((entry.version for entry in stale.since), default="")  # to send it again on top of that
    if isinstance(stale, EditConflictError):
        base, ours, theirs = stale.states
        names = names_of(base) | names_of(ours) | names_of(theirs)
        context["rows"] = [_row(clash, names) for clash in stale.clashes[:SHOWN_CLASHES]]
        context["clashes"] = len(stale.clashes)
    return context


def _row(clash: Conflict, names: Names) -> Row:
    what, *inner = clash.path
    who = names.get((what.removesuffix("s"), inner[0]), inner[0]) if inner else ""
    field = ", ".join(plain_name(part) for part in (inner[1:] if inner else [what]))
    is_piece = len(inner) % 2 == 1 and not isinstance(clash.ours, str | int | float)  # a list, id, a list in it, id …
    missing = "removed" if is_piece else "usual"
    values = (_words(value, names, missing) for value in (clash.base, clash.ours, clash.theirs))
    return Row(", ".join(part for part in (who, field) if part), *values)


def _words(value: Any, names: Names, missing: str) -> str:
    """A value; a whole piece by its name. A field that is not written down is the usual one."""
    if value is MISSING:
        return missing
    if isinstance(value, dict) and "id" in value:
        return str(value.get("name") or value.get("type") or value["id"])
    return value_words(value, names)
