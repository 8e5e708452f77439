"""A template without what leads nowhere any more once strips have become something else."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.model.document import Choice, Section, Strip, Template
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
