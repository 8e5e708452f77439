"""Revisions among the places of a template."""

from __future__ import annotations

from web.editor.places.base import RECORD, Place, register

register(Place("revisions", "Revisions", RECORD, 3))
