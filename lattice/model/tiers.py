"""Tiers of a template: sources, section buses, returns, submixes, mix, prints and outputs; and their colours."""

from __future__ import annotations

from lattice.model.document import Template
from lattice.model.palette import PALETTE
from lattice.model.strip_kinds import PLAYING

TIERS = ("sources", "section buses", "returns", "submixes", "mix", "prints, outputs")
TIER_COLOURS = dict(zip(TIERS, PALETTE, strict=False))
ENDS = "prints, outputs"
OF_KIND = {"midi": "sources", "return": "returns", "master": "mix", "print": ENDS, "output": ENDS}
BY_SECTION, BY_TIER, BY_HAND = "by section", "by tier", "by hand"


def tiers_of(template: Template) -> dict[str, str]:
    """The tier of each strip by its id: a bus is one of a section where it lies in one, else a submix."""
    buses = {section.bus for section in template.sections}
    found = {}
    for strip in template.strips:
        if strip.kind in PLAYING:
            found[strip.id] = "sources"
        elif strip.kind == "bus":
            is_of_section = strip.id in buses or strip.section is not None
            found[strip.id] = "section buses" if is_of_section else "submixes"
        else:
            found[strip.id] = OF_KIND[strip.kind]
    return found


def colouring(template: Template) -> str:
    """How the colours of a template go: by section, by tier, or by hand where strips have others of their own."""
    own = [strip for strip in template.strips if strip.colour is not None]
    if not own:
        return BY_SECTION
    tiers = tiers_of(template)
    is_by_tier = len(own) == len(template.strips) and all(s.colour == TIER_COLOURS[tiers[s.id]] for s in own)
    return BY_TIER if is_by_tier else BY_HAND
