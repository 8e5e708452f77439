"""Ids from names."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Container, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar

from lattice.model.document import Template

DASHES = dict.fromkeys(map(ord, "–—−"), "-")  # so that Out 1–2 becomes out-1-2
# Short enough to be read in an address.
MAX_ID = 64


def slug(name: str) -> str:
    """An id made from a name: “Glass, high” → glass-high; “strip” where nothing is left."""
    name = name.translate(DASHES)
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:MAX_ID].rstrip("-") or "strip"


# Ids that pieces had earlier in the life of the template that is edited: nothing new is called by them.
_SPENT: ContextVar[Container[str]] = ContextVar("ids that are spent", default=frozenset())


@contextmanager
def sparing(spent: Container[str]) -> Iterator[None]:
    """Within it no new piece gets one of these ids, so that open pages with the old piece refer to no other one."""
    token = _SPENT.set(spent)
    try:
        yield
    finally:
        _SPENT.reset(token)


def is_spent(name: str) -> bool:
    """Return whether a piece of the template that is edited had this id earlier."""
    return name in _SPENT.get()


def free_id(wanted: str, taken: Container[str]) -> str:
    """An id that is not taken: `wanted`, else with the first free number behind it, like kick, kick-2, kick-3."""
    if wanted not in taken and not is_spent(wanted):
        return wanted
    number = 2
    while (numbered := f"{wanted[: MAX_ID - len(str(number)) - 1]}-{number}") in taken or is_spent(numbered):
        number += 1
    return numbered


def joined(names: Iterable[str], most: int = 5) -> str:
    """Names in a row, and how many more there are; semicolons keep names with commas apart."""
    known = list(names)
    shown = known[:most]
    between = "; " if any("," in name for name in shown) and len(shown) > 1 else ", "
    return between.join(shown) + (f" and {len(known) - most} more" if len(known) > most else "")


def ambiguous(name: str, ids: Sequence[str], kind: str = "strip", most: int = 5) -> str:
    """“3 strips have the name “Tom”: tom, tom-2, tom-3; use the ID”."""
    return f"{len(ids)} {kind}s have the name “{name}”: {', '.join(ids[:most])}; use the ID"


def capitalised(words: str) -> str:
    """A sentence with a capital letter, the rest unchanged."""
    return words[:1].upper() + words[1:]


def with_kind(kind: str, name: str) -> str:
    """“Return Hall”, but “Short return” where the name contains the kind already."""
    return name if kind.lower() in name.lower() else f"{kind} {name}"


def free_route_ids(template: Template) -> Iterator[str]:
    """Route ids that are not taken, r1, r2 … from the number of routes on."""
    taken = {route.id for route in template.routes}
    number = len(taken)
    while True:
        number += 1
        if f"r{number}" not in taken and not is_spent(f"r{number}"):
            yield f"r{number}"
