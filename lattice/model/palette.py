"""Colours of sections: dark enough on light ground, light enough on dark ground, distinct in order."""

from __future__ import annotations

from collections.abc import Iterable

from lattice.model.document import Section

PALETTE = (
    "#8a4b2d", "#2d6488", "#5b7a35", "#7a4a86", "#a06a1f", "#2f7d74", "#8a3550", "#565f9c", "#9c5a3c", "#3f7fa6",
    "#79913f", "#98609f", "#b08038", "#458f83", "#a64d67", "#6f78b5",
)  # fmt: skip


def next_colour(sections: Iterable[Section]) -> str:
    """The first colour of the palette that no section has; where all are used, the one used least."""
    used = [(section.colour or "").lower() for section in sections]
    return min(PALETTE, key=lambda colour: (used.count(colour), PALETTE.index(colour)))
