"""Every type of insert, a row each: what it does to levels, what may be done with it, which fields a form shows.

Checks, levels and forms ask the row (`insert.traits`, or the sets below), never the name; so a new type is one row.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal


@dataclass(frozen=True)
class InsertTraits:
    """What one type of insert is (checks.md, *Levels*)."""

    name: str
    fields: tuple[str, ...] = ()  # shown beside those that every insert has
    can_be_keyed: bool = False
    compresses: bool = False  # takes from the expected level by its static curve
    ceiling: Literal["none", "soft", "hard"] = "none"  # a hard one holds what a mix is promised to hold
    is_limiter: bool = False  # infinite ratio; nothing louder may follow the last one of a mix
    decorrelates: bool = False  # its wet part is coherent with nothing
    has_tail: bool = False  # sounds on: on a return its lows pile up
    repeats: bool = False  # has a delay time and a feedback of its own
    spreads: bool = False  # gives each input to every output
    is_external: bool = False  # leaves the machine by physical channels
    is_effect: bool = False  # what a return is there for
    bends: bool = False  # works on level: split into stems it does something else than on the mix
    raises_peaks: bool = False  # behind a limiter it lifts peaks again
    operating_rank: int | None = None  # wants the operating level; in this order among those of one strip


INSERT_TYPES: tuple[InsertTraits, ...] = (
    InsertTraits("eq", raises_peaks=True),
    InsertTraits(
        "compressor",
        fields=("threshold_db", "ratio"),
        can_be_keyed=True,
        compresses=True,
        bends=True,
        raises_peaks=True,
        operating_rank=0,
    ),
    InsertTraits(
        "limiter",
        fields=("threshold_db", "ratio", "ceiling_db"),
        can_be_keyed=True,
        ceiling="hard",
        is_limiter=True,
        bends=True,
    ),
    InsertTraits("clipper", fields=("ceiling_db",), ceiling="hard", bends=True),
    InsertTraits("gate", fields=("threshold_db", "ratio"), can_be_keyed=True, bends=True, operating_rank=2),
    InsertTraits("expander", fields=("threshold_db", "ratio"), can_be_keyed=True, bends=True),
    InsertTraits("saturator", fields=("ceiling_db",), ceiling="soft", bends=True, raises_peaks=True, operating_rank=1),
    InsertTraits("reverb", decorrelates=True, has_tail=True, is_effect=True),
    InsertTraits(
        "delay", fields=("delay_ms", "feedback"), decorrelates=True, has_tail=True, repeats=True, is_effect=True
    ),
    InsertTraits("modulation", decorrelates=True, is_effect=True),
    InsertTraits("gain"),
    InsertTraits("meter"),
    InsertTraits("panner", spreads=True),
    InsertTraits("tuner"),
    InsertTraits("external", fields=("io_out", "io_in"), is_external=True, is_effect=True),
    InsertTraits("other", can_be_keyed=True, is_effect=True),
)

# The document's type of the field. A type checker cannot read the table, so to it this is a string.
if TYPE_CHECKING:
    InsertType = str
else:
    InsertType = Literal[tuple(traits.name for traits in INSERT_TYPES)]

TRAITS = {traits.name: traits for traits in INSERT_TYPES}


def _types(wanted: Callable[[InsertTraits], bool]) -> frozenset[str]:
    return frozenset(traits.name for traits in INSERT_TYPES if wanted(traits))


# Sets for the inner loops, where a look at the row of each insert would take longer than what is done with it.
COMPRESSING = _types(lambda row: row.compresses)
LIMITING = _types(lambda row: row.ceiling != "none")
DECORRELATING = _types(lambda row: row.decorrelates)
REPEATING = _types(lambda row: row.repeats)
SPREADING = _types(lambda row: row.spreads)
EXTERNAL = _types(lambda row: row.is_external)
KEYABLE = _types(lambda row: row.can_be_keyed)
# What changes levels whatever its gain.
ACTING = COMPRESSING | LIMITING | DECORRELATING
# What a key from outside turns down, by its static curve.
DUCKING = _types(lambda row: row.compresses or row.is_limiter)
AT_OPERATING_LEVEL: tuple[str, ...] = tuple(
    traits.name
    for traits in sorted(INSERT_TYPES, key=lambda row: row.operating_rank or 0)
    if traits.operating_rank is not None
)
