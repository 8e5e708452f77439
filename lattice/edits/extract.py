"""Extract strips from a template as a block, with all their content and open ends for the rest."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from msgspec.structs import replace

from lattice.edits.pieces import all_known
from lattice.errors import EditError
from lattice.formats.gate import validated
from lattice.model.block import Block, OpenEnd
from lattice.model.choices import strips_of_member
from lattice.model.document import Choice, Machine, Route, Rule, Section, Stem, Strip, Template, machine_id
from lattice.model.section_defaults import defaults_within
from lattice.model.sections import with_outer

# The label of an end, by the kind of its routes and whether they leave the block; a feed or send by its destination.
INTO = {"midi": "from MIDI", "tie": "from a different machine"}
OUT = {"midi": "to an instrument", "tie": "to a different machine"}


def taken_out(template: Template, strips: Collection[str], name: str, note: str = "") -> Block:
    """Some strips as a block.

    Parameters
    ----------
    template
        Where they are.
    strips
        Their ids.
    name, note
        Of the block.

    Returns
    -------
    Block
        With the strips, the routes that begin or end at one of them, their sections and machines; with stems, choices
        and rules that name nothing but them. Every strip outside that a route leads to or comes from is an open end:
        a strip of the same id, name, kind and layout, with the outlets and inserts that those routes name.

    Raises
    ------
    EditError
        Where there is no such strip, or none is named.
    """
    inside = all_known(template.strips, strips, "strip")
    if not inside:
        raise EditError("no strip selected")
    routes = tuple(route for route in template.routes if route.from_strip in inside or route.to in inside)
    touched = {end for route in routes for end in (route.from_strip, route.to)} - inside
    known = {strip.id: strip for strip in template.strips}
    own = [strip for strip in template.strips if strip.id in inside]
    outside = [_stand_in(strip, routes) for strip in template.strips if strip.id in touched]
    sections = _sections(template, own, inside)
    stems = _stems(template.stems, inside)
    made = replace(
        Template(name=name), sample_rate_hz=template.sample_rate_hz, buffer_samples=template.buffer_samples,
        pan_law_db=template.pan_law_db, machines=_machines(template, [*own, *outside]), sections=sections,
        strips=(*own, *outside), routes=routes, stems=stems, choices=_choices(template, inside),
        rules=_rules(template.rules, inside, {section.id for section in sections}),
    )  # fmt: skip
    ends = tuple(OpenEnd(strip=strip.id, name=_end_name(known[strip.id], routes)) for strip in outside)
    return Block(note=note, ends=ends, template=validated(Template(name=name), made))


def _stand_in(strip: Strip, routes: Iterable[Route]) -> Strip:
    """A strip outside, with no more of it than the routes name."""
    keyed = {route.to_insert for route in routes if route.to == strip.id}
    left = {route.from_outlet for route in routes if route.from_strip == strip.id}
    bare = Strip(
        id=strip.id, name=strip.name, kind=strip.kind, layout=strip.layout, machine=strip.machine, tags=strip.tags
    )  # fmt: skip
    return replace(
        bare, source=strip.source, midi=strip.midi,
        inserts=tuple(insert for insert in strip.inserts if insert.id in keyed),
        outlets=tuple(outlet for outlet in strip.outlets if outlet.id in left),
    )  # fmt: skip


def _end_name(strip: Strip, routes: Iterable[Route]) -> str:
    """“to a bus”, “from MIDI”, “key of the voice”."""
    going = {route.kind for route in routes if route.to == strip.id}
    coming = {route.kind for route in routes if route.from_strip == strip.id}
    if "key" in going:
        return f"keys {strip.name}"
    if going & {"feed", "send"}:
        return f"to {_a(strip.kind)}"
    if going:
        return OUT[going.pop()]
    if "key" in coming:
        return f"key from {strip.name}"
    if coming & {"feed", "send"}:
        return f"from {_a(strip.kind)}"
    return INTO[coming.pop()]


def _a(kind: str) -> str:
    return f"{'an' if kind[0] in 'aio' else 'a'} {kind}"


def _sections(template: Template, strips: Iterable[Strip], inside: Collection[str]) -> tuple[Section, ...]:
    """The sections of strips with those around them; a bus outside is no longer theirs."""
    wanted = with_outer(template, (strip.section for strip in strips))
    return tuple(
        replace(
            section,
            bus=section.bus if section.bus in inside else None,
            defaults=defaults_within(section.defaults, inside),
        )
        for section in template.sections if section.id in wanted
    )  # fmt: skip


def _machines(template: Template, strips: Iterable[Strip]) -> tuple[Machine, ...]:
    """The main machine, and those that strips run on."""
    used = {machine_id(template, strip) for strip in strips}
    return tuple(machine for at, machine in enumerate(template.machines) if at == 0 or machine.id in used)


def _stems(stems: tuple[Stem, ...], inside: Collection[str]) -> tuple[Stem, ...]:
    kept = [s for s in stems if s.strip in inside and (s.print is None or s.print in inside)]
    ids = {stem.id for stem in kept}
    kept += [s for s in stems if s.strip is None and s.of and set(s.of) <= ids]
    known = {stem.id for stem in kept}
    return tuple(
        replace(stem, of=tuple(part for part in stem.of if part in known)) for stem in stems if stem.id in known
    )  # fmt: skip


def _choices(template: Template, inside: Collection[str]) -> tuple[Choice, ...]:
    """Choices all of whose members lie inside; a section with all its strips, and at least one."""

    def is_inside(member: str) -> bool:
        strips = set(strips_of_member(template, member))
        return bool(strips) and strips <= set(inside)

    return tuple(c for c in template.choices if c.members and all(map(is_inside, c.members)))


def _rules(rules: tuple[Rule, ...], inside: Collection[str], sections: Collection[str]) -> tuple[Rule, ...]:
    """Rules that name nothing but these strips and sections."""
    return tuple(rule for rule in rules if all(_is_inside(one, inside, sections) for one in selectors_of(rule)))


def selectors_of(rule: Rule) -> list[str]:
    """Every selector of a rule, without the sign that takes away."""
    return [one.removeprefix("!") for part in (rule.sources, rule.through, rule.to) for one in part]


def _is_inside(selector: str, inside: Collection[str], sections: Collection[str]) -> bool:
    what, _colon, name = selector.partition(":")
    return (what == "strip" and name in inside) or (what == "section" and name in sections)
