"""References of the defaults of a section, and the strips that may take them."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator

from msgspec.structs import replace

from lattice.model.document import SectionDefaults
from lattice.model.strip_kinds import PLAYING

NONE = SectionDefaults()


def references(defaults: SectionDefaults) -> Iterator[tuple[str, str]]:
    """Places of the defaults that name a strip, and its id."""
    if defaults.to is not None:
        yield "defaults.to", defaults.to
    for number, send in enumerate(defaults.sends):
        yield f"defaults.sends[{number}].to", send.to


def defaults_within(defaults: SectionDefaults, known: Container[str]) -> SectionDefaults:
    """The defaults without references to other strips; the same object where there are none."""
    if all(strip in known for _place, strip in references(defaults)):
        return defaults
    to = defaults.to if defaults.to is None or defaults.to in known else None
    return replace(defaults, to=to, sends=tuple(send for send in defaults.sends if send.to in known))


def defaults_renamed(defaults: SectionDefaults, name: Callable[[str], str | None]) -> SectionDefaults:
    """The defaults with other ids of strips; those that become none are left out."""
    if defaults == NONE:
        return defaults
    sends = ((send, name(send.to)) for send in defaults.sends)
    return replace(
        defaults,
        to=name(defaults.to) if defaults.to is not None else None,
        sends=tuple(replace(send, to=to) for send, to in sends if to is not None),
    )


def may_take(kind: str) -> bool:
    """Return whether strips of a kind take the defaults of their section: those that play."""
    return kind in PLAYING
