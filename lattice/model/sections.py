"""Nested sections, in both directions."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from lattice.model.document import Template


def with_inner(template: Template, sections: Collection[str]) -> set[str]:
    """Ids of sections and of those inside them, at any depth. O(sections · depth)."""
    parents = {section.id: section.parent for section in template.sections}

    def lies_in(at: str | None) -> bool:
        while at is not None and at not in sections:
            at = parents[at]
        return at is not None

    return {section for section in parents if lies_in(section)}


def with_outer(template: Template, sections: Iterable[str | None]) -> set[str]:
    """Ids of sections and of those around them; None, as of a strip in no section, is passed over. O(sections)."""
    parents = {section.id: section.parent for section in template.sections}
    found: set[str] = set()
    for section in sections:
        at = section
        while at is not None and at not in found:
            found.add(at)
            at = parents[at]
    return found
