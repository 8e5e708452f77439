"""The map's layout: where strips stand and lines run. Coordinates and SVG, no HTML."""

from lattice.sheet.drawing import Sheet, draw
from lattice.sheet.slots import Slots

__all__ = ["Sheet", "Slots", "draw"]
