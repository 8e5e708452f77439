"""The map's layout: positions of strips and courses of lines. Coordinates and SVG, no HTML."""

from lattice.drawing.drawing import Sheet, draw
from lattice.drawing.hiding import NOTHING, Hidden, hiding
from lattice.drawing.slots import Slots
from lattice.drawing.small import small_svg

__all__ = ["NOTHING", "Hidden", "Sheet", "Slots", "draw", "hiding", "small_svg"]
