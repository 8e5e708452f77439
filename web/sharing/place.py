"""People among the places of a template."""

from __future__ import annotations

from web.editor.places.base import SETUP, Place, register

register(Place("people", "People", SETUP, 1))
