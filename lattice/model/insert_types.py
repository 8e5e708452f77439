"""Every type of insert, a row each: its effect on levels, its permitted use, its fields in a form.

Checks, levels and forms ask the row (`insert.traits`, or the sets below), never the name; so a new type is one row.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, NamedTuple

LIMIT_RATIO = 100.0  # docs/reference/model.md: from here on a ratio is ∞:1


class Usual(NamedTuple):
    """The common starting value of a field (common practice; from memory), as typed."""

    field: str
    value: str
    where: str = ""  # a word in the name of the insert or its strip, or a kind of strip; nothing: anywhere
    quarters: float = 0.0  # a time in quarters of the tempo, where no value is stated


@dataclass(frozen=True)
class InsertTraits:
    """The properties of one type of insert (docs/reference/checks.md, *Levels*)."""

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
    is_effect: bool = False  # the usual effect of a return
    bends: bool = False  # works on level: split into stems it does something else than on the mix
    raises_peaks: bool = False  # behind a limiter it lifts peaks again
    is_transparent: bool = False  # at most louder or softer: sound that has passed it is the same sound
    opens_above: bool = False  # reduces levels below its threshold: a gate or expander
    usual_ratio: float | None = None  # the ratio where none is stated
    operating_rank: int | None = None  # wants the operating level; in this order among those of one strip
    signs: tuple[str, ...] = ()  # parts of names that mean this type, in tables of others
    sign_rank: int = 99  # where a name has parts of several types, the lowest decides
    by_word: tuple[Usual, ...] = ()  # where to begin, by a word in a name
    by_host: tuple[Usual, ...] = ()  # the same by the kind of its strip
    by_key: tuple[Usual, ...] = ()  # the same where a key from outside works it


INSERT_TYPES: tuple[InsertTraits, ...] = (
    InsertTraits(
        "eq",
        raises_peaks=True,
        signs=("eq", "cut", "filter"),
        sign_rank=9,
        by_word=(
            Usual("low_cut_hz", "475", "cymbal"),
            Usual("low_cut_hz", "475", "overhead"),
            Usual("low_cut_hz", "475", "crash"),
            Usual("low_cut_hz", "475", "ride"),
            Usual("low_cut_hz", "15", "synth"),
            Usual("low_cut_hz", "15", "sub"),
            Usual("low_cut_hz", "15", "bass"),
            Usual("low_cut_hz", "175", "tops"),
            Usual("low_cut_hz", "180", "voice"),
        ),
        by_host=(Usual("low_cut_hz", "250", "return"),),
    ),
    InsertTraits(
        "compressor",
        fields=("threshold_db", "ratio"),
        can_be_keyed=True,
        compresses=True,
        bends=True,
        raises_peaks=True,
        operating_rank=0,
        signs=("comp", "de-ess", "deess"),
        sign_rank=4,
        by_word=(
            Usual("threshold_db", "-35", "hard"),
            Usual("ratio", "10", "hard"),
            Usual("release_ms", "", "hard", 0.25),
            Usual("threshold_db", "-20", "duck"),
            Usual("ratio", "3", "duck"),
            Usual("threshold_db", "-40", "crush"),
            Usual("ratio", "5.5", "crush"),
            Usual("attack_ms", "0.1", "crush"),
        ),
        by_host=(
            Usual("ratio", "2", "master"),
            Usual("attack_ms", "10", "master"),
            Usual("ratio", "4"),
            Usual("threshold_db", "-20"),
        ),
        by_key=(Usual("threshold_db", "-20"), Usual("ratio", "3"), Usual("release_ms", "", quarters=0.5)),
    ),
    InsertTraits(
        "limiter",
        fields=("threshold_db", "ratio", "ceiling_db"),
        can_be_keyed=True,
        ceiling="hard",
        is_limiter=True,
        bends=True,
        signs=("limit",),
        sign_rank=0,
        by_host=(Usual("ceiling_db", "-1"),),
    ),
    InsertTraits("clipper", fields=("ceiling_db",), ceiling="hard", bends=True, signs=("clip",), sign_rank=1),
    InsertTraits(
        "gate",
        fields=("threshold_db", "ratio"),
        can_be_keyed=True,
        bends=True,
        opens_above=True,
        usual_ratio=LIMIT_RATIO,
        operating_rank=2,
        signs=("gate",),
        sign_rank=2,
    ),
    InsertTraits(
        "expander",
        fields=("threshold_db", "ratio"),
        can_be_keyed=True,
        bends=True,
        opens_above=True,
        signs=("expand",),
        sign_rank=3,
    ),
    InsertTraits(
        "saturator",
        fields=("ceiling_db",),
        ceiling="soft",
        bends=True,
        raises_peaks=True,
        operating_rank=1,
        signs=("tape", "satur", "drive"),
        sign_rank=8,
    ),
    InsertTraits(
        "reverb",
        decorrelates=True,
        has_tail=True,
        is_effect=True,
        signs=("verb", "hall", "plate", "room"),
        sign_rank=5,
        by_word=(
            Usual("high_cut_hz", "8 kHz", "plate"),
            Usual("pre_delay_ms", "170", "plate"),
            Usual("pre_delay_ms", "175", "long"),
            Usual("low_cut_hz", "500", "hall"),
        ),
        by_host=(Usual("low_cut_hz", "250", "return"),),
    ),
    InsertTraits(
        "delay",
        fields=("delay_ms", "feedback"),
        decorrelates=True,
        has_tail=True,
        repeats=True,
        is_effect=True,
        signs=("delay", "echo", "slap"),
        sign_rank=6,
        by_word=(
            Usual("delay_ms", "166", "slap"),
            Usual("delay_ms", "", "quarter", 1.0),
            Usual("delay_ms", "", "1/4", 1.0),
            Usual("delay_ms", "", "early", 0.75),
            Usual("high_cut_hz", "9.5 kHz", "slap"),
            Usual("feedback", "25 %", "slap"),
            Usual("feedback", "40 %", "quarter"),
            Usual("feedback", "40 %", "1/4"),
        ),
        by_host=(Usual("low_cut_hz", "250", "return"),),
    ),
    InsertTraits("modulation", decorrelates=True, is_effect=True, signs=("chorus", "flang", "phas"), sign_rank=7),
    InsertTraits("gain", is_transparent=True, signs=("gain", "trim"), sign_rank=13),
    InsertTraits("meter", is_transparent=True, signs=("meter",), sign_rank=10),
    InsertTraits("panner", spreads=True, signs=("pan",), sign_rank=11),
    InsertTraits("tuner", is_transparent=True, signs=("tun",), sign_rank=12),
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


# Sets for the inner loops, where a lookup of each insert's row would cost more than the work itself.
COMPRESSING = _types(lambda row: row.compresses)
LIMITING = _types(lambda row: row.ceiling != "none")
DECORRELATING = _types(lambda row: row.decorrelates)
REPEATING = _types(lambda row: row.repeats)
SPREADING = _types(lambda row: row.spreads)
EXTERNAL = _types(lambda row: row.is_external)
TRANSPARENT = _types(lambda row: row.is_transparent)
KEYABLE = _types(lambda row: row.can_be_keyed)
# Types that change levels whatever their gain.
ACTING = COMPRESSING | LIMITING | DECORRELATING
OPENING = _types(lambda row: row.opens_above)
# Types with a gain reduction by an external key, by their static curve.
DUCKING = _types(lambda row: row.compresses or row.is_limiter)
AT_OPERATING_LEVEL: tuple[str, ...] = tuple(
    traits.name
    for traits in sorted(INSERT_TYPES, key=lambda row: row.operating_rank or 0)
    if traits.operating_rank is not None
)
# Parts of names of processors, the first match decides; without one the type is other.
SIGNS: tuple[tuple[str, str], ...] = tuple(
    (sign, traits.name) for traits in sorted(INSERT_TYPES, key=lambda row: row.sign_rank) for sign in traits.signs
)
