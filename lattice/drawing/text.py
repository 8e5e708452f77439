"""How wide words are, for cutting names to their box without a browser."""

from __future__ import annotations

# Advance widths of the printable ASCII signs in Barlow Semi Condensed 400, in hundredths of the type size,
# measured from the shipped font; other signs are taken to be as wide as a capital.
WIDTHS = (
    20, 28, 25, 62, 49, 81, 60, 12, 24, 24, 38, 47, 22, 35, 23, 37, 50, 30, 47, 46, 48, 46, 46, 42,
    47, 46, 27, 25, 47, 47, 47, 41, 79, 51, 54, 53, 54, 52, 49, 53, 56, 24, 50, 53, 48, 62, 58, 54,
    52, 51, 53, 50, 50, 56, 51, 75, 51, 50, 47, 34, 37, 34, 42, 43, 19, 46, 48, 46, 48, 47, 32, 47,
    48, 23, 22, 45, 21, 74, 48, 48, 49, 49, 33, 43, 31, 48, 43, 64, 43, 41, 40, 29, 15, 29, 48,
)  # fmt: skip
OTHER = 56
ELLIPSIS = 71
SIZE = 13.0


def width(text: str, size: float = SIZE) -> float:
    """Width of a text in pixels, in the semi-condensed face of the drawing at a size in pixels."""
    return (
        sum(WIDTHS[ord(c) - 32] if 32 <= ord(c) < 127 else ELLIPSIS if c == "…" else OTHER for c in text) * size / 100
    )


def cut(text: str, room: float, size: float = SIZE) -> str:
    """The text, or as much of it as fits with an ellipsis."""
    if width(text, size) <= room:
        return text
    while text and width(text + "…", size) > room:
        text = text[:-1]
    return text.rstrip() + "…"
