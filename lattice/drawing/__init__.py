"""The map's layout: positions of strips and courses of lines. Coordinates and SVG, no HTML."""

from lattice.drawing.drawing import Sheet, draw
from lattice.drawing.slots import Slots
from lattice.drawing.small import small_svg

__all__ = ["Sheet", "Slots", "draw", "small_svg"]
