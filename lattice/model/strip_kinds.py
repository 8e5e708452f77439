"""Every kind of strip, a row each: whether it is a source, a sum or an end, and its valid routes.

Defined in docs/reference/model.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal


@dataclass(frozen=True)
class StripTraits:
    """The properties of one kind of strip."""

    name: str
    loop_rank: int  # the order of kinds inside a loop (docs/reference/checks.md, *The cut*)
    plays: bool = False  # a source, unless its own is null
    carries_sound: bool = True
    is_fed: bool = True  # feeds and sends end here
    leaves_by_routes: bool = True  # feeds and sends start here
    is_sum: bool = False  # its purpose is the sum of its inputs
    is_end: bool = False  # sound is wanted here
    has_physical_channels: bool = False
    has_outlets: bool = False
    is_monitored: bool = False  # its inputs pass according to its monitoring
    destination: str = ""  # the heading under which it is offered as a destination; none: it is not offered


STRIP_KINDS: tuple[StripTraits, ...] = (
    StripTraits("audio", 3, plays=True, is_monitored=True),
    StripTraits("instrument", 2, plays=True, is_fed=False, has_outlets=True),
    StripTraits("input", 0, plays=True, is_fed=False, has_physical_channels=True),
    StripTraits("midi", 1, carries_sound=False, is_fed=False, leaves_by_routes=False),
    StripTraits("bus", 4, is_sum=True, destination="Buses"),
    StripTraits("return", 5, is_sum=True, destination="Returns"),
    StripTraits("master", 6, is_sum=True, destination="Mix"),
    StripTraits("print", 7, is_end=True, is_monitored=True, destination="Prints"),
    StripTraits(
        "output",
        8,
        is_end=True,
        leaves_by_routes=False,
        has_physical_channels=True,
        destination="Outputs",
    ),
)

# The document's type of the field. A type checker cannot read the table, so to it this is a string.
if TYPE_CHECKING:
    StripKind = str
else:
    StripKind = Literal[tuple(traits.name for traits in STRIP_KINDS)]

TRAITS = {traits.name: traits for traits in STRIP_KINDS}


def _kinds(wanted: Callable[[StripTraits], bool]) -> tuple[str, ...]:
    return tuple(traits.name for traits in STRIP_KINDS if wanted(traits))


# Sets for the inner loops; where a sentence names the kinds, in the order of the table.
PLAYING = frozenset(_kinds(lambda row: row.plays))
SOUNDLESS = frozenset(_kinds(lambda row: not row.carries_sound))
FED = _kinds(lambda row: row.is_fed)
NO_START = frozenset(_kinds(lambda row: not row.leaves_by_routes))
SUMS = frozenset(_kinds(lambda row: row.is_sum))
ENDS = frozenset(_kinds(lambda row: row.is_end))
DESTINATIONS = {traits.name: traits.destination for traits in STRIP_KINDS if traits.destination}
LOOP_RANK = {traits.name: traits.loop_rank for traits in STRIP_KINDS}
