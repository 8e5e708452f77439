"""How wide words are, for cutting names to their box without a browser."""

from __future__ import annotations

NARROW = frozenset("iljtfrI.,:;'|!()[] ")
WIDE = frozenset("mwMW@%")


def width(text: str, size: float = 12.0) -> float:
    """Estimated width in pixels in the sheet's semi-condensed face."""
    units = sum(0.27 if c in NARROW else 0.72 if c in WIDE else 0.56 if c.isupper() or c.isdigit() else 0.475 for c in text)
    return units * size


def cut(text: str, room: float, size: float = 12.0) -> str:
    """The text, or as much of it as fits with an ellipsis."""
    if width(text, size) <= room:
        return text
    while text and width(text + "…", size) > room:
        text = text[:-1]
    return text.rstrip() + "…"
