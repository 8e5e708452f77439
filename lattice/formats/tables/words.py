"""Meanings of words in a table: kinds of strips, layouts, inserts, and physical channels."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from lattice.model import insert_types, strip_kinds
from lattice.model.insert_types import SIGNS
from lattice.model.layouts import DISCRETE, NAMED

# The routes decide the kind of an auxiliary strip: a bus if strips feed it, a return if they send to it.
OPEN = ""
KIND_WORDS: dict[str, tuple[str, ...]] = {
    "audio": ("audio", "audio track", "track", "recording"),
    "instrument": ("instrument", "instrument track", "virtual instrument", "sampler", "synth"),
    "input": ("input", "live input", "physical input", "hardware input"),
    "midi": ("midi", "midi track", "notes"),
    "bus": ("bus", "buss", "group", "group bus", "subgroup", "sub group", "submix", "mix bus"),
    "return": ("return", "effect return", "fx return", "fx", "effect", "effects"),
    "master": ("master", "main", "main mix", "mix", "master bus"),
    "print": ("print", "print track", "stem print", "recorder"),
    "output": ("output", "physical output", "hardware output"),
    OPEN: ("aux", "aux input", "aux track", "auxiliary", "guess"),
}
KIND_OF = {word: kind for kind, words in KIND_WORDS.items() for word in words}
OPEN_WORD = "guess"  # as a cell: its routes tell
# Rows of a session that carry no sound of their own: they group, mark or show (common practice).
LEAVE = "leave"
NO_STRIPS = frozenset(
    {"vca", "control group", "fader group", "video", "video track", "picture", "marker", "markers", "marker track",
     "tempo", "tempo track", "chord track", "ruler", "divider", "spacer"}
)  # fmt: skip
YES = frozenset({"yes", "y", "true", "1", "x", "on", "muted", "✓", "✔", "•", "active", "enabled", "inverted", "ø"})
NO = frozenset({"", "no", "n", "false", "0", "off", "-", "–", "normal", "inactive", "disabled", "unmuted"})
# Colours by name as CSS Color Module Level 4 has them (W3C), those that people write.
COLOURS = {
    "black": "#000000", "white": "#ffffff", "grey": "#808080", "gray": "#808080", "silver": "#c0c0c0",
    "red": "#ff0000", "maroon": "#800000", "brown": "#a52a2a", "orange": "#ffa500", "gold": "#ffd700",
    "yellow": "#ffff00", "olive": "#808000", "lime": "#00ff00", "green": "#008000", "teal": "#008080",
    "turquoise": "#40e0d0", "cyan": "#00ffff", "aqua": "#00ffff", "blue": "#0000ff", "navy": "#000080",
    "indigo": "#4b0082", "violet": "#ee82ee", "purple": "#800080", "magenta": "#ff00ff", "fuchsia": "#ff00ff",
    "pink": "#ffc0cb", "salmon": "#fa8072", "coral": "#ff7f50", "tan": "#d2b48c", "beige": "#f5f5dc",
}  # fmt: skip
HEX = re.compile(r"#?([0-9a-f]{6})")
SHORT_HEX = re.compile(r"#([0-9a-f]{3})")

LAYOUT_WORDS: dict[str, tuple[str, ...]] = {
    "mono": ("1", "m", "1.0", "1 ch", "single"),
    "stereo": ("2", "s", "st", "2.0", "2 ch", "l/r", "lr", "l r", "pair"),
    "lcr": ("3.0", "l/c/r"),
    "quad": ("4.0",),
    "5.1": ("5.1 surround", "surround 5.1", "6 ch"),
    "7.1": ("7.1 surround", "surround 7.1", "8 ch"),
}
LAYOUT_OF = {word: layout for layout, words in LAYOUT_WORDS.items() for word in words}
NUMBERED = re.compile(r"(?:discrete[: ]?)?(\d{1,2})\s*(?:ch|channels|discrete)?")
MOST_CHANNELS = 64

PHYSICAL = re.compile(
    r"(?P<way>outputs?|outs?|main outs?|main|inputs?|ins?|line|mic|analogu?e?|digital|aes|madi|physical|)"
    r"\s*(?P<first>\d{1,3})(?:\s*[-–/+]\s*(?P<last>\d{1,3}))?"
)
MAIN_PAIR = re.compile(r"(?:stereo|main|master) (?:outs?|outputs?)")  # without a number: the first two
NOTHING = frozenset({"", "-", "–", "none", "no input", "no output", "off", "n/a"})


@lru_cache(maxsize=1 << 13)  # a table has few words, many times
def _plain(text: str) -> str:
    return " ".join(text.casefold().replace("_", " ").split())


def kind_of(text: str) -> str | None:
    """The kind of strip that a word means; OPEN where its routes have to tell, None where it means none."""
    plain = _plain(text)
    return KIND_OF.get(plain, plain if plain in strip_kinds.TRAITS else None)


def kind_word(text: str) -> str | None:
    """The meaning of a word in a column of kinds, as a cell: a kind, OPEN_WORD, LEAVE; None if unknown."""
    kind = kind_of(text)
    if kind is None:
        return LEAVE if _plain(text) in NO_STRIPS else None
    return kind or OPEN_WORD


def yes_or_no(text: str) -> str | None:
    """Yes or no, as a cell; None where a word means neither."""
    plain = _plain(text)
    return "yes" if plain in YES else "no" if plain in NO else None


def colour_of(text: str) -> str | None:
    """A colour as #rrggbb by its name or number; None where a word means none."""
    plain = _plain(text)
    if plain in COLOURS:
        return COLOURS[plain]
    if match := HEX.fullmatch(plain):
        return f"#{match[1]}"
    if match := SHORT_HEX.fullmatch(plain):
        return "#" + "".join(digit * 2 for digit in match[1])
    return None


def layout_of(text: str) -> str | None:
    """The layout that a word means: “Stereo”, “L/R”, “5.1”, “20 channels”; None where it means none."""
    plain = _plain(text)
    if plain in NAMED:
        return plain
    if plain in LAYOUT_OF:
        return LAYOUT_OF[plain]
    number = NUMBERED.fullmatch(plain)
    is_layout = number is not None and 1 <= int(number[1]) <= MOST_CHANNELS
    return f"{DISCRETE}{int(number[1])}" if number is not None and is_layout else None


def insert_type_of(text: str) -> str:
    """The type of a processor by its name: “Plate verb” → reverb; `other` if no part of it is known."""
    plain = _plain(text)
    if plain in insert_types.TRAITS:
        return plain
    return next((kind for sign, kind in SIGNS if sign in plain), "other")


@dataclass(frozen=True)
class Physical:
    """Physical channels that a cell names."""

    is_output: bool
    channels: tuple[int, ...]

    @property
    def name(self) -> str:
        """“Out 1–2”, “In 7”."""
        first, last = self.channels[0], self.channels[-1]
        return f"{'Out' if self.is_output else 'In'} {first}{f'–{last}' if last > first else ''}"


def physical_of(text: str, *, may_be_bare: bool = False) -> Physical | None:
    """The physical channels a cell names, like “Out 1-2”, “Main 1/2”, “In 7”; None where it names none.

    `may_be_bare`: whether numbers alone name them too.
    """
    plain = _plain(text)
    match = PHYSICAL.fullmatch(plain)
    if MAIN_PAIR.fullmatch(plain):
        return Physical(is_output=True, channels=(1, 2))
    if match is None or not (match["way"] or may_be_bare):
        return None
    first, last = int(match["first"]), int(match["last"] or match["first"])
    if not 1 <= first <= last:
        return None
    is_output = match["way"].startswith(("out", "main"))
    return Physical(is_output, tuple(range(first, last + 1)))


def is_nothing(text: str) -> bool:
    """Return whether a cell means none."""
    return _plain(text) in NOTHING
