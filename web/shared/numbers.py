"""Numbers in addresses and forms."""

from __future__ import annotations

MOST_DIGITS = 15  # more than any key has, and few enough for the database


def number_of(text: str, otherwise: int = 0) -> int:
    """The whole number a text is; `otherwise` for anything else."""
    return int(text) if text.isascii() and text.isdecimal() and len(text) <= MOST_DIGITS else otherwise
