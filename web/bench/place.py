"""The Bench among the places of a template."""

from __future__ import annotations

from web.editor.places.base import FIGURES, Place, register

register(Place("bench", "Bench", FIGURES, 4))
