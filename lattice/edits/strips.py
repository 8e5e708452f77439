"""Edits of strips: add, change, move, remove."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from lattice.edits.pieces import all_known, changed, inserted, made, strip_of, with_strip
from lattice.errors import EditError
from lattice.model.document import Rule, Stem, Strip, Template
from lattice.model.names import free_id, slug


def add_strip(template: Template, strip: dict[str, Any], at: int | None = None) -> Template:
    """A new strip from plain fields; its id is made from its name where none is given."""
    taken = {known.id for known in template.strips}
    fields = {"id": free_id(slug(str(strip.get("name", ""))), taken), **strip}
    return replace(template, strips=inserted(template.strips, at, made(Strip, fields)))


def change_strip(template: Template, strip: str, changes: dict[str, Any]) -> Template:
    """One strip with some fields changed (plain values)."""
    index, old = strip_of(template, strip)
    return with_strip(template, index, changed(old, changes))


def change_strips(template: Template, strips: list[str], changes: dict[str, Any]) -> Template:
    """Many strips with the same fields changed."""
    wanted = all_known(template.strips, strips, "strip")
    new = tuple(changed(strip, changes) if strip.id in wanted else strip for strip in template.strips)
    return replace(template, strips=new)


def move_strips(template: Template, strips: list[str], section: str | None, before: str | None = None) -> Template:
    """Strips into a section, in front of strip `before` (None: behind the last strip of the section)."""
    wanted = all_known(template.strips, strips, "strip")
    if before in wanted:
        raise EditError("strips cannot be moved in front of one of themselves")
    moved = [replace(strip, section=section) for strip in template.strips if strip.id in wanted]
    rest = [strip for strip in template.strips if strip.id not in wanted]
    if before is not None:
        at = next((index for index, strip in enumerate(rest) if strip.id == before), None)
        if at is None:
            raise EditError(f"there is no strip {before}")
    else:
        at = max((index + 1 for index, strip in enumerate(rest) if strip.section == section), default=len(rest))
    return replace(template, strips=(*rest[:at], *moved, *rest[at:]))


def remove_strips(template: Template, strips: list[str]) -> Template:
    """Without some strips, and without everything that names them: routes, stems, choices, selectors."""
    gone = all_known(template.strips, strips, "strip")
    stems = _stems_without(template.stems, gone)
    return replace(
        template,
        strips=tuple(strip for strip in template.strips if strip.id not in gone),
        routes=tuple(route for route in template.routes if route.from_strip not in gone and route.to not in gone),
        sections=tuple(replace(s, bus=None) if s.bus in gone else s for s in template.sections),
        stems=stems,
        choices=tuple(
            replace(choice, members=kept) if kept != choice.members else choice
            for choice in template.choices
            for kept in [tuple(member for member in choice.members if member.partition("/")[0] not in gone)]
        ),
        rules=tuple(
            kept for rule in template.rules if (kept := rule_without(rule, {f"strip:{strip}" for strip in gone}))
        ),
    )


def _stems_without(stems: tuple[Stem, ...], gone: frozenset[str]) -> tuple[Stem, ...]:
    lost = {stem.id for stem in stems if stem.strip in gone}
    kept: Iterable[Stem] = (stem for stem in stems if stem.id not in lost)
    kept = (replace(stem, print=None) if stem.print in gone else stem for stem in kept)
    return tuple(
        replace(stem, of=tuple(part for part in stem.of if part not in lost)) if lost & set(stem.of) else stem
        for stem in kept
    )


def rule_without(rule: Rule, selectors: set[str]) -> Rule | None:
    """A rule without some selectors; None where a part that had some has none left."""
    parts = {}
    for part in ("sources", "through", "to"):
        before: tuple[str, ...] = getattr(rule, part)
        parts[part] = tuple(selector for selector in before if selector.removeprefix("!") not in selectors)
        if before and not parts[part]:
            return None
    return rule if all(parts[part] == getattr(rule, part) for part in parts) else replace(rule, **parts)
