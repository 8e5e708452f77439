"""Hygiene, a family of Findings: names, colours, empty sections, strips that nothing uses."""

from __future__ import annotations

from typing import Any

from lattice.model.choices import strips_in_choices
from lattice.model.document import Strip
from web.shelf.workspace import Workspace

GROUPS = (
    ("name.default", "Default names"),
    ("name.duplicate", "Duplicate names"),
    ("section.colour", "Colours unlike their section"),
    ("section.empty", "Empty sections"),
    ("waiver.stale", "Waivers without a finding"),
)


def hygiene_place(space: Workspace, zones: dict[str, str]) -> dict[str, Any]:
    """Findings of hygiene by group, each with its zone on the map, and bulk actions."""
    groups = [
        (
            words,
            [
                (finding, zones.get(finding.strips[0], "") if finding.strips else "")
                for finding in space.open.values()
                if finding.code == code
            ],
        )
        for code, words in GROUPS
    ]
    unused = _unused(space)
    odd = [finding.strips[0] for finding in space.open.values() if finding.code == "section.colour"]
    return {
        "hygiene": [(words, ones) for words, ones in groups if ones],
        "unused": unused,
        "unused_ids": " ".join(strip.id for strip in unused),
        "odd_colours": " ".join(odd),
    }


def _unused(space: Workspace) -> list[Strip]:
    """Strips without routes that no stem, choice or section uses; spares are intended."""
    template = space.template
    used = {end for route in template.routes for end in (route.from_strip, route.to)}
    used |= {end for stem in template.stems for end in (stem.strip, stem.print) if end}
    used |= {section.bus for section in template.sections if section.bus}
    used |= strips_in_choices(template)
    return [strip for strip in template.strips if strip.id not in used and not {"spare", "backup"} & set(strip.tags)]
