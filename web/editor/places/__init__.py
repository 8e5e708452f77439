"""The places of a template, a module each. A new one is a module here with its `PLACE`, its template and its test.

Other apps put a place of theirs beside these in a module `place` of their own.
"""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules

from web.editor.places.base import register


def discover() -> None:
    """Registers the place of every module here that has one."""
    for module in iter_modules(__path__):
        place = getattr(import_module(f"{__name__}.{module.name}"), "PLACE", None)
        if place is not None:
            register(place)
