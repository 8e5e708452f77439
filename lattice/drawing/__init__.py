"""The map's layout: where strips stand and lines run. Coordinates and SVG, no HTML."""

from lattice.drawing.drawing import Sheet, draw
from lattice.drawing.slots import Slots

__all__ = ["Sheet", "Slots", "draw"]
