"""A template without what leads nowhere any more once strips are gone, or have become something else."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from msgspec.structs import replace

from lattice.model.document import Choice, Rule, Section, Stem, Strip, Template
from lattice.model.validate import route_rules


def without_dangling(template: Template) -> Template:
    """A template without routes that may not be, buses that carry no sound, and members that are not there.

    What a strip that changes its kind, its outlets or its inserts leaves behind: a document that has it is refused.
    O(strips + routes).
    """
    strips = {strip.id: strip for strip in template.strips}
    whole = [route for route in template.routes if route.from_strip in strips and route.to in strips]
    sentences_of = route_rules(template)
    return replace(
        template,
        routes=tuple(route for route in whole if not sentences_of(route)),
        sections=tuple(_section(section, strips) for section in template.sections),
        choices=tuple(_choice(choice, strips) for choice in template.choices),
    )


def _section(section: Section, strips: dict[str, Strip]) -> Section:
    bus = strips.get(section.bus or "")
    is_bus = section.bus is None or (bus is not None and bus.traits.carries_sound)
    return section if is_bus else replace(section, bus=None)


def _choice(choice: Choice, strips: dict[str, Strip]) -> Choice:
    kept = tuple(member for member in choice.members if _is_there(member, strips))
    return choice if kept == choice.members else replace(choice, members=kept)


def _is_there(member: str, strips: dict[str, Strip]) -> bool:
    name, _slash, outlet = member.partition("/")
    return name in strips and (not outlet or any(known.id == outlet for known in strips[name].outlets))


def without_strips(template: Template, gone: Collection[str]) -> Template:
    """Without some strips, and without everything that names them: routes, stems, choices, selectors."""
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


def _stems_without(stems: tuple[Stem, ...], gone: Collection[str]) -> tuple[Stem, ...]:
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
