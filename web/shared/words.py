"""Typed text of one line or several, as stored: refused if it is too long, never cut."""

from __future__ import annotations

from lattice.errors import EditError
from lattice.formats.control_characters import CONTROL, OVER_LINES

LONGEST_LINE = 120  # characters


def one_line(text: str, what: str, lacking: str) -> str:
    """Text of one line. Raises EditError: with `lacking` if it is empty, else with an error about `what`."""
    line = " ".join(text.split())
    if not line:
        raise EditError(lacking)
    return _kept(line, what, LONGEST_LINE, several=False)


def lines(text: str, what: str, lacking: str, longest: int) -> str:
    """Text of several lines. Raises EditError like `one_line`."""
    text = text.strip()
    if not text:
        raise EditError(lacking)
    return _kept(text, what, longest, several=True)


def _kept(text: str, what: str, longest: int, *, several: bool) -> str:
    if len(text) > longest:
        raise EditError(f"{what} has {len(text)} characters; at most {longest} are allowed")
    if (OVER_LINES if several else CONTROL).search(text.replace("\r", "") if several else text):
        raise EditError(f"{what} contains a control character")
    return text
