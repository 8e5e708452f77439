"""The state of a strip in one cell: `muted; armed`, with the columns of the track sheet behind its words."""

from __future__ import annotations

from collections.abc import Mapping

from lattice.model.document import Strip

# Word → column of the track sheet and its cell.
STATES: dict[str, tuple[str, str]] = {
    "muted": ("mute", "yes"),
    "not in service": ("in_service", "no"),
    "inverted": ("invert", "yes"),
    "armed": ("armed", "yes"),
    "monitored when armed": ("monitor", "when-armed"),
    "always monitored": ("monitor", "always"),
}
ALIASES = {
    "mute": "muted", "off": "muted", "out of service": "not in service", "inactive": "not in service",
    "disabled": "not in service", "invert": "inverted", "polarity": "inverted", "ø": "inverted", "arm": "armed",
    "monitored": "always monitored", "monitor": "always monitored",
}  # fmt: skip
USUAL = {"mute": "no", "in_service": "yes", "invert": "no", "armed": "no", "monitor": "never"}
PLAIN = frozenset(("", "-", "–", "none", "on", "active", "in service", "unmuted"))  # a strip as it is made


def state_text(strip: Strip) -> str:
    """The state of a strip as a cell has it; empty for one that is in service and not muted."""
    said = {
        "mute": "yes" if strip.mute else "no",
        "in_service": "yes" if strip.in_service else "no",
        "invert": "yes" if strip.invert else "no",
        "armed": "yes" if strip.armed else "no",
        "monitor": strip.monitor,
    }
    return "; ".join(word for word, (column, cell) in STATES.items() if said[column] == cell)


def read_state(text: str) -> Mapping[str, str]:
    """The cells of the track sheet that a state means, all of them: words that are missing are taken back.

    Raises
    ------
    ValueError
        With a sentence about the first unknown word.
    """
    cells = dict(USUAL)
    for entry in text.replace(",", ";").split(";"):
        word = " ".join(entry.casefold().split())
        if word in PLAIN:
            continue
        known = STATES.get(ALIASES.get(word, word))
        if known is None:
            raise ValueError(f"“{entry.strip()}” is not one of {', '.join(STATES)}")
        cells[known[0]] = known[1]
    return cells
