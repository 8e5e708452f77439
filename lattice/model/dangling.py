"""Remove dangling references of a template after strips were removed or changed."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

from msgspec.structs import replace

from lattice.model.choices import SECTION, without_members
from lattice.model.document import Choice, Rule, Section, Stem, Strip, Template
from lattice.model.section_defaults import defaults_within, references
from lattice.model.validate import route_rules


def without_dangling(template: Template) -> Template:
    """A template without references to missing pieces, or to pieces that have become of a wrong kind.

    Invalid routes are removed; so are stems without a strip, and rules without a subject. A document with any of these
    is invalid. O(strips + routes).
    """
    machines = {machine.id for machine in template.machines}
    sections = {section.id for section in template.sections}
    placed = tuple(_placed(strip, sections, machines) for strip in template.strips)
    template = replace(template, strips=placed)
    strips = {strip.id: strip for strip in placed}
    whole = [route for route in template.routes if route.from_strip in strips and route.to in strips]
    sentences_of = route_rules(template)
    known = {f"section:{section}" for section in sections} | {f"strip:{strip}" for strip in strips}
    rules = (rule_without(rule, _unknown(rule, known)) for rule in template.rules)
    return replace(
        template,
        routes=tuple(route for route in whole if not sentences_of(route)),
        sections=tuple(_section(section, strips, sections) for section in template.sections),
        stems=_stems(template.stems, strips),
        choices=tuple(_choice(choice, strips, sections) for choice in template.choices),
        rules=tuple(rule for rule in rules if rule is not None),
    )


def _placed(strip: Strip, sections: Collection[str], machines: Collection[str]) -> Strip:
    is_inside = strip.section is None or strip.section in sections
    is_on_one = strip.machine is None or strip.machine in machines
    if is_inside and is_on_one:
        return strip
    return replace(
        strip, section=strip.section if is_inside else None, machine=strip.machine if is_on_one else None
    )  # fmt: skip


def _section(section: Section, strips: Mapping[str, Strip], sections: Collection[str]) -> Section:
    bus = strips.get(section.bus or "")
    is_bus = section.bus is None or (bus is not None and bus.traits.carries_sound)
    is_inside = section.parent is None or section.parent in sections
    sounding = {strip for _place, strip in references(section.defaults) if strip in strips}
    sounding = {strip for strip in sounding if strips[strip].traits.carries_sound}
    defaults = defaults_within(section.defaults, sounding)
    if is_bus and is_inside and defaults is section.defaults:
        return section
    return replace(
        section,
        bus=section.bus if is_bus else None,
        parent=section.parent if is_inside else None,
        defaults=defaults,
    )


def _stems(stems: tuple[Stem, ...], strips: Collection[str]) -> tuple[Stem, ...]:
    gone = {name for stem in stems for name in (stem.strip, stem.print) if name is not None and name not in strips}
    stems = _stems_without(stems, gone) if gone else stems
    ids = {stem.id for stem in stems}
    return tuple(
        stem if ids.issuperset(stem.of) else replace(stem, of=tuple(part for part in stem.of if part in ids))
        for stem in stems
    )


def _unknown(rule: Rule, known: Collection[str]) -> set[str]:
    """Selectors of a rule that name a strip or a section that is not there."""
    parts = (selector.removeprefix("!") for part in (rule.sources, rule.through, rule.to) for selector in part)
    return {one for one in parts if one.startswith(("strip:", "section:")) and one not in known}


def _choice(choice: Choice, strips: Mapping[str, Strip], sections: Collection[str]) -> Choice:
    kept = tuple(member for member in choice.members if _is_there(member, strips, sections))
    return choice if kept == choice.members else replace(choice, members=kept)


def _is_there(member: str, strips: Mapping[str, Strip], sections: Collection[str]) -> bool:
    if member.startswith(SECTION):
        return member.removeprefix(SECTION) in sections
    name, _slash, outlet = member.partition("/")
    return name in strips and (not outlet or any(known.id == outlet for known in strips[name].outlets))


def _section_without(section: Section, gone: Collection[str]) -> Section:
    named = {strip for _place, strip in references(section.defaults)}
    defaults = defaults_within(section.defaults, named.difference(gone))
    if section.bus not in gone and defaults is section.defaults:
        return section
    return replace(section, bus=None if section.bus in gone else section.bus, defaults=defaults)


def without_strips(template: Template, gone: Collection[str]) -> Template:
    """Without some strips, and without everything that names them: routes, stems, choices, selectors."""
    stems = _stems_without(template.stems, gone)
    return replace(
        template,
        strips=tuple(strip for strip in template.strips if strip.id not in gone),
        routes=tuple(route for route in template.routes if route.from_strip not in gone and route.to not in gone),
        sections=tuple(_section_without(section, gone) for section in template.sections),
        stems=stems,
        choices=without_members(template.choices, gone),
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
