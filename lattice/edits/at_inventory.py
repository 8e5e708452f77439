"""A template at a machine that lacks some of its plug-ins: those are unloaded, missing instruments are silent."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.model.document import Insert, Strip, Template
from lattice.model.inventory import Inventory, Uses, missing_uses


def template_at(template: Template, inventory: Inventory) -> Template:
    """The template as it would open there; the same object where nothing is missing.

    Parameters
    ----------
    template
        The template.
    inventory
        The contents of one of its machines; the other machines stay complete.
    """
    return without_uses(template, missing_uses(template, inventory))


def without_uses(template: Template, missing: Uses) -> Template:
    """The template with some plug-ins missing, by their uses; the same object where none is."""
    inserts: set[str] = set()
    instruments: set[str] = set()
    for uses in missing.values():
        inserts |= {insert for _strip, insert, _plugin in uses if insert}
        instruments |= {strip.id for strip, insert, _plugin in uses if not insert}
    if not inserts and not instruments:
        return template
    strips = tuple(_without(strip, inserts, silent=strip.id in instruments) for strip in template.strips)
    return replace(template, strips=strips)


def _without(strip: Strip, unloaded: set[str], *, silent: bool) -> Strip:
    def state(insert: Insert) -> Insert:
        return replace(insert, state="unloaded") if insert.id in unloaded else insert

    if silent:
        strip = replace(strip, source=None, outlets=tuple(replace(one, source=None) for one in strip.outlets))
    if any(insert.id in unloaded for insert in strip.inserts):
        strip = replace(strip, inserts=tuple(map(state, strip.inserts)))
    return strip
