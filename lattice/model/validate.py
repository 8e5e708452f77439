"""Rules beyond the types: ids are unique, references resolve, routes have valid ends."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise
from typing import Any

from lattice.errors import DocumentError, Problem
from lattice.model import strip_kinds
from lattice.model.choices import SECTION
from lattice.model.document import (
    LISTS,
    MAX_ROUTES,
    MAX_STRIPS,
    MOST_VIEWS,
    PAN_LAWS_DB,
    Machine,
    Route,
    Strip,
    Template,
    Timeline,
    layout_of_part,
)
from lattice.model.insert_types import KEYABLE
from lattice.model.layouts import channel_count, channel_names
from lattice.model.route_kinds import TRAITS
from lattice.model.schema import shown
from lattice.model.section_defaults import references
from lattice.model.strip_kinds import FED, NO_START, SOUNDLESS

GOOD_ID = re.compile(r"[a-z0-9][a-z0-9-]{0,63}")
# The limit of GOOD_ID, repeated for the check of all ids together.
LONGEST_ID = 64
WITHOUT_ID_SIGNS = dict.fromkeys(map(ord, "abcdefghijklmnopqrstuvwxyz0123456789-\n"))  # deletes them
SELECTOR_HEADS = ("strip", "tag", "section", "kind")


def validate(template: Template) -> Template:
    """The template itself, where it is good.

    The types define the values of each field. Here are the other rules: unique ids, resolved references, valid ends of
    routes. O(strips + routes).

    Raises
    ------
    DocumentError
        With every problem, in the order of the document.
    """
    found = list(problems(template))
    if found:
        raise DocumentError(found)
    return template


def problems(template: Template) -> Iterator[Problem]:
    """Every problem of a well-typed template, in the order of the document. O(strips + routes)."""
    if len(template.strips) > MAX_STRIPS:
        yield Problem.at("strips", f"{len(template.strips)} strips; at most {MAX_STRIPS} are allowed")
        return
    if len(template.routes) > MAX_ROUTES:
        yield Problem.at("routes", f"{len(template.routes)} routes; at most {MAX_ROUTES} are allowed")
        return
    if template.pan_law_db not in PAN_LAWS_DB:
        yield Problem.at("pan_law_db", f"{template.pan_law_db:g} is not one of 0, -2.5, -3, -4.5, -6")
    if not template.machines:
        yield Problem.at("machines", "at least one machine is required; the first is the main one")
        return
    for name in LISTS:
        yield from _repeats(name, getattr(template, name))
    strips = {strip.id: strip for strip in template.strips}
    yield from _sections(template, strips)
    yield from _strips(template)
    yield from _inserts(template)
    yield from _Routes(template, strips).problems()
    yield from _stems(template, strips)
    yield from _choices(template, strips)
    yield from _timeline(template.timeline)
    yield from _rules(template, strips)
    yield from _views(template)


def _ids(place: str, items: Sequence[Any]) -> Iterator[Problem]:
    """Ids that have not the form of one. One match over all of them: most lists are good."""
    if _all_good([item.id for item in items]):
        return
    for index, item in enumerate(items):
        if not GOOD_ID.fullmatch(item.id):
            sentence = f"{shown(item.id)} is not an ID: 1 to 64 of a–z, 0–9 and -, not starting with -"
            yield Problem.at(f"{place}[{index}].id", sentence)


def _all_good(ids: list[str]) -> bool:
    """Return whether every id has the form of one; over all at once, as most are good."""
    joined = "\n" + "\n".join(ids)
    return not ids or (
        not joined.translate(WITHOUT_ID_SIGNS)
        and "\n\n" not in joined
        and "\n-" not in joined
        and not joined.endswith("\n")
        and joined.count("\n") == len(ids)
        and len(max(ids, key=len)) <= LONGEST_ID
    )


def _repeats(place: str, items: Sequence[Any]) -> Iterator[Problem]:
    ids = [item.id for item in items]
    is_good = _all_good(ids)
    if is_good and len(set(ids)) == len(ids):
        return
    yield from () if is_good else _ids(place, items)
    seen: dict[str, int] = {}
    for index, item in enumerate(items):
        if item.id in seen:
            yield Problem.at(f"{place}[{index}].id", f"{item.id} is already used by {place}[{seen[item.id]}]")
        else:
            seen[item.id] = index


def _sections(template: Template, strips: dict[str, Strip]) -> Iterator[Problem]:
    parents = {section.id: section.parent for section in template.sections}
    for index, section in enumerate(template.sections):
        if section.parent is not None and section.parent not in parents:
            yield Problem.at(f"sections[{index}].parent", f"section {section.parent} does not exist")
        elif _is_own_ancestor(section.id, parents):
            yield Problem.at(f"sections[{index}].parent", f"{section.id} would be inside itself")
        if section.bus is not None and section.bus not in strips:
            yield Problem.at(f"sections[{index}].bus", f"strip {section.bus} does not exist")
        elif section.bus is not None and strips[section.bus].kind in SOUNDLESS:
            yield Problem.at(f"sections[{index}].bus", f"{section.bus} carries no audio")
        for place, strip in references(section.defaults):
            if strip not in strips:
                yield Problem.at(f"sections[{index}].{place}", f"strip {strip} does not exist")
            elif strips[strip].kind in SOUNDLESS:
                yield Problem.at(f"sections[{index}].{place}", f"{strip} carries no audio")


def _is_own_ancestor(section: str, parents: dict[str, str | None]) -> bool:
    seen = {section}
    above = parents[section]
    while above is not None and above in parents:
        if above == section:
            return True
        if above in seen:
            return False
        seen.add(above)
        above = parents[above]
    return False


def _strips(template: Template) -> Iterator[Problem]:
    sections = {section.id for section in template.sections}
    machines = {machine.id for machine in template.machines}
    named = {strip.section for strip in template.strips}, {strip.machine for strip in template.strips}
    all_known = named[0] - {None} <= sections and named[1] - {None} <= machines
    for index, strip in enumerate(template.strips):
        if not all_known and strip.section is not None and strip.section not in sections:
            yield Problem.at(f"strips[{index}].section", f"section {strip.section} does not exist")
        if not all_known and strip.machine is not None and strip.machine not in machines:
            yield Problem.at(f"strips[{index}].machine", f"machine {strip.machine} does not exist")
        if strip.outlets or strip.parts:
            yield from _outlets(strip, f"strips[{index}]")


def _inserts(template: Template) -> Iterator[Problem]:
    """Insert ids are unique in the document, positions of panners within their layouts."""
    for index, strip in enumerate(template.strips):
        if any(insert.positions for insert in strip.inserts):
            yield from _positions(strip, f"strips[{index}].inserts")
    ids = [insert.id for strip in template.strips for insert in strip.inserts]
    if len(set(ids)) == len(ids) and _all_good(ids):
        return
    places: dict[str, str] = {}
    for index, strip in enumerate(template.strips):
        yield from _ids(f"strips[{index}].inserts", strip.inserts)
        for position, insert in enumerate(strip.inserts):
            place = f"strips[{index}].inserts[{position}]"
            if insert.id in places:
                yield Problem.at(f"{place}.id", f"{insert.id} is already used by {places[insert.id]}")
            places.setdefault(insert.id, place)


def _positions(strip: Strip, place: str) -> Iterator[Problem]:
    layout = strip.layout
    for at, insert in enumerate(strip.inserts):
        layout_in, layout = insert.layouts(layout)
        if insert.positions is None:
            continue
        here = f"{place}[{at}].positions"
        if not insert.traits.spreads:
            yield Problem.at(here, f"only a panner has positions; {insert.id} is of type {insert.type}")
        elif len(insert.positions) > (count := channel_count(layout_in)):
            yield Problem.at(here, f"{len(insert.positions)} positions; {layout_in} has {count} inputs")
        else:
            names = channel_names(layout)
            for number, name in enumerate(insert.positions):
                if name is not None and name not in names:
                    said = f"{layout} has no channel {name}; use one of {', '.join(names)}"
                    yield Problem.at(f"{here}[{number}]", said)


def _outlets(strip: Strip, place: str) -> Iterator[Problem]:
    if not strip_kinds.TRAITS[strip.kind].has_outlets:
        yield Problem.at(place, f"only an instrument has outlets and parts; {strip.id} is of kind {strip.kind}")
    yield from _repeats(f"{place}.outlets", strip.outlets)
    yield from _repeats(f"{place}.parts", strip.parts)
    if sum(outlet.main for outlet in strip.outlets) > 1:
        yield Problem.at(f"{place}.outlets", "more than one outlet is marked main")
    outlets = {outlet.id for outlet in strip.outlets}
    for position, part in enumerate(strip.parts):
        if part.outlet is not None and part.outlet not in outlets:
            yield Problem.at(f"{place}.parts[{position}].outlet", f"{strip.id} has no outlet {part.outlet}")
        elif part.side is not None and layout_of_part(strip, part) != "stereo":
            place_of_side = f"{place}.parts[{position}].side"
            yield Problem.at(place_of_side, f"only a part on a stereo outlet has a side; {part.id} is not on one")


class _Routes:
    """Valid connections (docs/reference/model.md): one method a kind of route."""

    def __init__(self, template: Template, strips: dict[str, Strip]) -> None:
        self.routes = template.routes
        self.strips = strips
        self.machines: dict[str, Machine] = {machine.id: machine for machine in template.machines}
        self.first_machine = template.machines[0].id

    def problems(self) -> Iterator[Problem]:
        # By strip, its machine for plain routes; NaN, which equals nothing, if it may have none.
        strips = self.strips
        leaving = {name: strip.machine if strip.kind not in NO_START else math.nan for name, strip in strips.items()}
        ending = {name: strip.machine if strip.kind in FED else math.nan for name, strip in strips.items()}
        for index, route in enumerate(self.routes):
            if (  # most routes: a feed or send of whole strips that carry sound, on one machine
                route.kind in ("feed", "send")
                and route.from_outlet is None
                and route.to_insert is None
                and leaving.get(route.from_strip, math.nan) == ending.get(route.to, math.nan)
            ):
                continue
            start, end = strips.get(route.from_strip), strips.get(route.to)
            if start is None:
                yield Problem.at(f"routes[{index}].from", f"strip {route.from_strip} does not exist")
            if end is None:
                yield Problem.at(f"routes[{index}].to", f"strip {route.to} does not exist")
            if start is not None and end is not None:
                for sentence in self.sentences(route, start, end):
                    yield Problem.at(f"routes[{index}]", sentence)

    def sentences(self, route: Route, start: Strip, end: Strip) -> Iterator[str]:
        if route.from_outlet is not None and all(outlet.id != route.from_outlet for outlet in start.outlets):
            yield f"{start.id} has no outlet {route.from_outlet}"
        if route.kind == "midi":
            yield from self._midi(start, end)
        elif start.kind in SOUNDLESS or end.kind in SOUNDLESS:
            silent = start if start.kind in SOUNDLESS else end
            yield f"a {route.kind} needs strips with audio; {silent.id} is of kind midi"
        elif route.kind == "tie":
            yield from self._tie(start, end)
        elif route.kind != "key":
            yield from self._feed(route, start, end)
        if route.kind == "key":
            yield from self._key(route, end)
        elif route.to_insert is not None:
            yield f"only a key ends at an insert; this is a {route.kind}"

    def _feed(self, route: Route, start: Strip, end: Strip) -> Iterator[str]:
        traits = TRAITS[route.kind]
        if start.kind not in traits.starts_at:
            yield (
                f"a {route.kind} cannot start at an output; from {start.id} only a tie can, to an input of a "
                "different machine"
            )
        if end.kind not in traits.ends_at:
            yield f"a {route.kind} ends at {', '.join(traits.ends_at)}; {end.id} is of kind {end.kind}"
        if self._machine(start) != self._machine(end):
            yield f"a {route.kind} stays on one machine; {start.id} and {end.id} are on two (use a tie)"

    def _machine(self, strip: Strip) -> str:
        return strip.machine or self.first_machine

    def _midi(self, start: Strip, end: Strip) -> Iterator[str]:
        machine = self.machines.get(self._machine(start))
        outside = start.kind == "instrument" and machine is not None and machine.kind == "outboard"
        if start.kind not in TRAITS["midi"].starts_at and not outside:
            yield f"a MIDI route starts at a MIDI strip, an input or an outboard instrument, not at {start.id}"
        if end.kind not in TRAITS["midi"].ends_at:
            yield f"a MIDI route ends at an instrument or a MIDI strip; {end.id} is of kind {end.kind}"

    def _tie(self, start: Strip, end: Strip) -> Iterator[str]:
        if start.kind not in TRAITS["tie"].starts_at:
            yield f"a tie starts at an output; {start.id} is of kind {start.kind}"
        if end.kind not in TRAITS["tie"].ends_at:
            yield f"a tie ends at an input; {end.id} is of kind {end.kind}"
        if self._machine(start) == self._machine(end):
            yield f"a tie joins two machines; {start.id} and {end.id} are on one"

    def _key(self, route: Route, end: Strip) -> Iterator[str]:
        insert = next((insert for insert in end.inserts if insert.id == route.to_insert), None)
        if route.to_insert is None:
            yield "a key needs its insert: to_insert is missing"
        elif insert is None:
            yield f"{end.id} has no insert {route.to_insert}"
        elif not insert.traits.can_be_keyed:
            yield f"{insert.id} is of type {insert.type} and cannot be keyed ({', '.join(sorted(KEYABLE))} can)"


def route_rules(template: Template) -> Callable[[Route], list[str]]:
    """The rules of routes of one template, prepared for many of them.

    Returns
    -------
    callable
        Route → sentences why it may not be made between its two strips, which exist; none where it may.
    """
    strips = {strip.id: strip for strip in template.strips}
    rules = _Routes(template, strips)
    return lambda route: list(rules.sentences(route, strips[route.from_strip], strips[route.to]))


def route_sentences(template: Template, route: Route) -> list[str]:
    """Why one route may not be made between its two strips, which exist; empty where it may."""
    return route_rules(template)(route)


def _stems(template: Template, strips: dict[str, Strip]) -> Iterator[Problem]:
    stems = {stem.id for stem in template.stems}
    for index, stem in enumerate(template.stems):
        if stem.strip is None and stem.role != "composite":
            yield Problem.at(f"stems[{index}]", "the field strip is missing")
        for field in ("strip", "print"):
            strip = getattr(stem, field)
            if strip is not None and strip not in strips:
                yield Problem.at(f"stems[{index}].{field}", f"strip {strip} does not exist")
        for position, part in enumerate(stem.of):
            if part not in stems:
                yield Problem.at(f"stems[{index}].of[{position}]", f"stem {part} does not exist")


def _timeline(timeline: Timeline) -> Iterator[Problem]:
    for index, (one, then) in enumerate(pairwise(timeline.tempo), start=1):
        if then.bar <= one.bar:
            yield Problem.at(f"timeline.tempo[{index}].bar", f"bar {then.bar} is not behind bar {one.bar}; bars rise")
    if timeline.end_bar is not None and timeline.end_bar < timeline.first_bar:
        yield Problem.at("timeline.end_bar", f"bar {timeline.end_bar} is before the first bar, {timeline.first_bar}")


def _choices(template: Template, strips: dict[str, Strip]) -> Iterator[Problem]:
    sections = {section.id for section in template.sections}
    for index, choice in enumerate(template.choices):
        for position, member in enumerate(choice.members):
            if member.startswith(SECTION):
                if (section := member.removeprefix(SECTION)) not in sections:
                    yield Problem.at(f"choices[{index}].members[{position}]", f"section {section} does not exist")
                continue
            name, _, outlet = member.partition("/")
            strip = strips.get(name)
            if strip is None:
                yield Problem.at(f"choices[{index}].members[{position}]", f"strip {name} does not exist")
            elif outlet and all(outlet != known.id for known in strip.outlets):
                yield Problem.at(f"choices[{index}].members[{position}]", f"{name} has no outlet {outlet}")


def _views(template: Template) -> Iterator[Problem]:
    if len(template.views) > MOST_VIEWS:
        yield Problem.at("views", f"{len(template.views)} views; at most {MOST_VIEWS} are allowed")
    names: set[str] = set()
    for index, view in enumerate(template.views):
        if view.name.casefold() in names:
            yield Problem.at(f"views[{index}].name", f"{view.name} is already the name of another view")
        names.add(view.name.casefold())


def _rules(template: Template, strips: dict[str, Strip]) -> Iterator[Problem]:
    sections = {section.id for section in template.sections}
    for index, rule in enumerate(template.rules):
        for field in ("sources", "through", "to"):
            for position, selector in enumerate(getattr(rule, field)):
                place = f"rules[{index}].{field}[{position}]"
                head, _, value = selector.removeprefix("!").partition(":")
                if head != "*" and (head not in SELECTOR_HEADS or not value):
                    yield Problem.at(place, f"{selector!r} is not strip:ID, tag:T, section:ID, kind:K or *")
                elif head == "strip" and value not in strips:
                    yield Problem.at(place, f"strip {value} does not exist")
                elif head == "section" and value not in sections:
                    yield Problem.at(place, f"section {value} does not exist")
