"""A small picture of a map: boxes and lines without words, for lists and cards. It reads on light and dark ground."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from xml.sax.saxutils import quoteattr

from lattice.drawing.drawing import Box, Line, Sheet

LINE = "#7f8b91"
BOX = "#9aa4a8"  # of a strip without a section
LOOP = "#b8452f"
MARGIN = 12.0  # px
MOST_TALL = 0.9  # height by width: taller sheets are pressed into the frame of the picture
LEAST_WIDTH, LEAST_HEIGHT = 320.0, 190.0  # px: a few boxes are not drawn larger than they are


def small_svg(sheet: Sheet) -> str:
    """The sheet as an SVG image of its boxes and lines.

    Parameters
    ----------
    sheet
        A finished drawing.

    Returns
    -------
    str
        An SVG document that scales to any size; an empty sheet is an empty picture. O(boxes + lines).
    """
    return "".join(_parts(sheet))


def _parts(sheet: Sheet) -> Iterator[str]:
    left, top, width, height = _frame(sheet.boxes)
    fit = "none" if height > MOST_TALL * width else "xMinYMin meet"
    view = f'viewBox="{left:g} {top:g} {width:g} {height:g}" preserveAspectRatio="{fit}"'
    yield f'<svg xmlns="http://www.w3.org/2000/svg" {view}>'
    stroke = max(width / 320, 1.0)  # a pixel in the usual size of a card
    for colour, lines in ((LINE, [line for line in sheet.lines if not line.feedback]),
                          (LOOP, [line for line in sheet.lines if line.feedback])):  # fmt: skip
        path = "".join(_segments(lines))
        if path:
            yield f'<path d="{path}" fill="none" stroke="{colour}" stroke-width="{stroke:.3g}"/>'
    for box in sheet.boxes:
        faint = ' opacity="0.4"' if box.out else ""
        place = f'x="{box.x:g}" y="{box.y:g}" width="{box.width:g}" height="{box.height:g}"'
        yield f"<rect {place} fill={quoteattr(box.colour or BOX)}{faint}/>"
    yield "</svg>"


def _frame(boxes: Iterable[Box]) -> tuple[float, float, float, float]:
    """Left, top, width and height around all boxes, px."""
    known = list(boxes)
    if not known:
        return 0.0, 0.0, LEAST_WIDTH, LEAST_HEIGHT
    left, top = min(box.x for box in known) - MARGIN, min(box.y for box in known) - MARGIN
    right = max(box.x + box.width for box in known) + MARGIN
    bottom = max(box.y + box.height for box in known) + MARGIN
    return left, top, max(right - left, LEAST_WIDTH), max(bottom - top, LEAST_HEIGHT)


def _segments(lines: Iterable[Line]) -> Iterator[str]:
    for line in lines:
        for x1, y1, x2, y2 in line.segments:
            yield f"M{x1:g} {y1:g}L{x2:g} {y2:g}"
