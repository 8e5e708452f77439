"""A block put into a template: its strips under ids, names and channels that are free, its open ends tied to strips.

The result for each of its pieces is a table, which a page shows as a preview.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from msgspec.structs import replace

from lattice.edits.arguments import Choice as OneOf
from lattice.edits.arguments import Object
from lattice.edits.channels import next_io, next_midi
from lattice.edits.copies import numbered_on
from lattice.edits.described import edit
from lattice.errors import EditError
from lattice.formats.block_json import from_plain
from lattice.formats.tables.rows import in_sections
from lattice.model.block import Block
from lattice.model.choices import SECTION
from lattice.model.document import MAX_STRIPS, OPEN_END, Insert, Route, Rule, Strip, Template, machine_id
from lattice.model.names import free_id, free_route_ids
from lattice.model.section_defaults import defaults_renamed
from lattice.model.units import channel_span
from lattice.model.validate import route_rules

MAKE, LEAVE = "+", ""  # as what an end is tied to: a strip of its own, nothing
Ways = Literal["free", "keep"]
SHARED = ("master", "return", "output")  # kinds of which the only one is meant, whatever it is called
SAME_ROUTE = ("kind", "from_strip", "from_outlet", "tap", "to", "to_insert", "channels", "port", "channel")


@dataclass(frozen=True)
class Happens:
    """One line of the table: a piece of the block, and its result."""

    what: str  # strip, name, channels, midi, end, route, section, machine, stem, choice, rule, insert
    was: str
    becomes: str


@dataclass
class Placed:
    """A template with a block in it."""

    template: Template
    ids: dict[str, str] = field(default_factory=dict)  # strip of the block → strip here
    routes: dict[str, str] = field(default_factory=dict)  # and so with routes, inserts, sections and machines
    inserts: dict[str, str] = field(default_factory=dict)
    sections: dict[str, str] = field(default_factory=dict)
    machines: dict[str, str] = field(default_factory=dict)
    happens: list[Happens] = field(default_factory=list)


def usual_ties(template: Template, block: Block) -> dict[str, str]:
    """The likeliest strip for each open end: of the same id or name, the only one of its kind, else a new one.

    Parameters
    ----------
    template, block
        Where the block goes, and the block.

    Returns
    -------
    dict
        Strip that represents the end → a strip here, or MAKE.
    """
    stands = {strip.id: strip for strip in block.template.strips}
    found = {}
    for end in block.ends:
        outside = stands[end.strip]
        like = [strip for strip in template.strips if strip.kind == outside.kind]
        alike = [strip.id for strip in like if strip.id == outside.id]
        alike += [strip.id for strip in like if strip.name.casefold() == outside.name.casefold()]
        alike += [like[0].id] if len(like) == 1 and outside.kind in SHARED else []
        found[end.strip] = alike[0] if alike else MAKE
    return found


def placed(
    template: Template,
    block: Block,
    ties: Mapping[str, str] | None = None,
    share: Mapping[str, str] | None = None,
    names: Ways = "free",
    channels: Ways = "free",
    midi: Ways = "free",
) -> Placed:
    """A template with a block added, and the result for each piece.

    Parameters
    ----------
    template, block
        Where it goes, and the block.
    ties
        Strip that represents an open end → the strip here, MAKE or LEAVE; missing ones get the usual value.
    share
        Strips of the block → strips that are there already and take their place.
    names
        Names that are there already: numbered on (`free`), or kept.
    channels
        Physical channels that are taken: the next free ones, or kept.
    midi
        Channels of an instrument that are taken: the next free ones, or kept.

    Raises
    ------
    EditError
        If a named strip does not exist, or no channels are left.
    """
    put = _Putting(template, block, {**usual_ties(template, block), **(ties or {})}, share or {})
    if len(template.strips) + len(block.template.strips) > MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    put.strips(names, channels)
    put.routes(midi)
    put.others()
    return Placed(
        put.after, put.ids, put.route_ids, put.inserts, put.sections, put.machines, put.happens,
    )  # fmt: skip


class _Putting:
    """The steps that add one block; each adds lines to the report."""

    def __init__(self, template: Template, block: Block, ties: Mapping[str, str], share: Mapping[str, str]) -> None:
        self.there, self.block = template, block
        self.inner = block.template
        known = {strip.id for strip in template.strips}
        own, ends = {strip.id for strip in block.strips}, {end.strip for end in block.ends}
        wrong = [f"the block has no open end {one}" for one in ties if one not in ends]
        wrong += [f"the block has no strip {one}" for one in share if one not in own]
        named = [one for one in (*ties.values(), *share.values()) if one not in (MAKE, LEAVE)]
        wrong += [f"strip {one} does not exist" for one in named if one not in known]
        if wrong:
            raise EditError(*wrong)
        self.ties, self.share = ties, share
        self.happens: list[Happens] = []
        self.ids: dict[str, str] = {
            **share,
            **{end: strip for end, strip in ties.items() if strip not in (MAKE, LEAVE)},
        }
        self.left_open = {end for end, strip in ties.items() if strip == LEAVE}
        self.inserts: dict[str, str] = {}  # of the block → here
        self.new: list[Strip] = []
        self.new_routes: list[Route] = []
        self.route_ids: dict[str, str] = {}
        self.machines = self._matched("machines", "machine")
        self.sections = self._matched("sections", "section")
        self.after = template

    def say(self, what: str, was: str, becomes: str) -> None:
        self.happens.append(Happens(what, was, becomes))

    def _matched(self, listed: str, what: str) -> dict[str, str]:
        """Ids of the block's sections or machines → here: the main machine, one of that name, else their own."""
        pieces, there = getattr(self.inner, listed), getattr(self.there, listed)
        by_name = {piece.name.casefold(): piece.id for piece in reversed(there)}
        taken = {piece.id for piece in there}
        found: dict[str, str] = {}
        for at, piece in enumerate(pieces):
            if what == "machine" and at == 0:
                found[piece.id] = there[0].id
                continue
            known = by_name.get(piece.name.casefold())
            found[piece.id] = known or free_id(piece.id, taken)
            taken.add(found[piece.id])
            self.say(what, piece.name, "exists already" if known else "new")
        return found

    # strips

    def strips(self, names: Ways, channels: Ways) -> None:
        """Strips of the block under ids, names and channels of their own; those of open ends that are made too."""
        taken = {strip.id for strip in self.there.strips}
        known_names = {strip.name for strip in self.there.strips}
        insert_ids = {insert.id for strip in self.there.strips for insert in strip.inserts}
        called = {end.strip: end.name for end in self.block.ends}
        for strip in self.inner.strips:
            if strip.id in called:
                self._end(strip, called[strip.id])
            if strip.id in self.share:
                self._shared(strip)
            if strip.id in self.ids or strip.id in self.left_open:
                continue
            new_id = free_id(strip.id, taken)
            taken.add(new_id)
            self.ids[strip.id] = new_id
            name = self._name(strip, known_names, names)
            machine = self.machines[machine_id(self.inner, strip)]
            moved = replace(
                strip, id=new_id, name=name, section=self.sections.get(strip.section or ""),
                machine=None if machine == self.there.machines[0].id and strip.machine is None else machine,
                inserts=tuple(self._insert(insert, insert_ids) for insert in strip.inserts),
            )  # fmt: skip
            self.new.append(replace(moved, io=self._io(moved, strip.name, channels)))
            if new_id != strip.id:
                self.say("strip", f"{strip.name} ({strip.id})", new_id)

    def _end(self, strip: Strip, called: str) -> None:
        tied = self.ids.get(strip.id)
        there = next((one.name for one in self.there.strips if one.id == tied), "")
        self.say("end", f"{called}: {strip.name}", there or ("left open" if strip.id in self.left_open else "new"))

    def _shared(self, strip: Strip) -> None:
        there = next(one for one in self.there.strips if one.id == self.share[strip.id])
        self.say("strip", strip.name, f"{there.name}, which exists already")
        for insert in strip.inserts:
            same = [one for one in there.inserts if one.type == insert.type]
            like = [one for one in same if one.name == insert.name] or same
            if like:
                self.inserts[insert.id] = like[0].id

    def _name(self, strip: Strip, known: set[str], names: Ways) -> str:
        if names == "keep" or strip.name not in known:
            return strip.name
        name = numbered_on(strip.name, known | {one.name for one in self.new})
        self.say("name", strip.name, name)
        return name

    def _insert(self, insert: Insert, taken: set[str]) -> Insert:
        new_id = free_id(insert.id, taken)
        taken.add(new_id)
        self.inserts[insert.id] = new_id
        if insert.io_out or insert.io_in:
            self.say("channels", f"{insert.title}, outboard", "same send and return")
        return replace(insert, id=new_id)

    def _io(self, strip: Strip, name: str, channels: Ways) -> tuple[int, ...] | None:
        """Physical channels: unchanged if they are free, else the next free ones."""
        if strip.io is None or not strip.traits.has_physical_channels:
            return strip.io
        machine = machine_id(self.there, strip)
        used = {
            channel
            for other in (*self.there.strips, *self.new)
            if other.kind == strip.kind and machine_id(self.there, other) == machine
            for channel in other.io or ()
        }
        if channels == "keep" or not used & set(strip.io):
            return strip.io
        if machine not in {known.id for known in self.there.machines}:
            return strip.io
        free = next_io(self.there, self.new, strip)
        self.say("channels", f"{name}, {channel_span(strip.io)}", channel_span(free) if free else "none free")
        return free

    # routes

    def routes(self, midi: Ways) -> None:
        """Routes among its strips and to the strips at its open ends; the report has those that cannot be created."""
        self.after = self._with_strips()
        strips = {strip.id: strip for strip in self.after.strips}
        sentences_of = route_rules(self.after)
        taken = {route.id for route in self.there.routes}
        ids = (one for one in free_route_ids(self.there) if one not in taken)
        known = {tuple(getattr(route, name) for name in SAME_ROUTE) for route in self.there.routes}
        names = {strip.id: strip.name for strip in self.inner.strips}
        for route in self.inner.routes:
            said = f"{route.kind} {names[route.from_strip]} → {names[route.to]}"
            if {route.from_strip, route.to} & self.left_open:
                self.say("route", said, "left out: its end is open")
                continue
            moved = self._moved(route, strips)
            if isinstance(moved, str):
                self.say("route", said, f"left out: {moved}")
                continue
            if tuple(getattr(moved, name) for name in SAME_ROUTE) in known:
                self.say("route", said, "exists already")
                continue
            moved = self._on_free_channel(moved, said, midi)
            if sentences := sentences_of(moved):
                self.say("route", said, f"left out: {sentences[0]}")
            else:
                new_id = route.id if route.id not in taken else next(ids)
                taken.add(new_id)
                self.route_ids[route.id] = new_id
                self.new_routes.append(replace(moved, id=new_id))
        self.after = self._with_open_ends(replace(self.after, routes=(*self.there.routes, *self.new_routes)))

    def _with_open_ends(self, after: Template) -> Template:
        """Strips that nothing leaves because their end is open are tagged: they are unfinished, not forgotten."""
        leaving = {route.from_strip for route in after.routes}
        ends = {
            self.ids[route.from_strip]
            for route in self.inner.routes
            if route.to in self.left_open and route.from_strip in self.ids and route.kind != "key"
        }
        open_ends = ends - leaving - {strip.id for strip in self.there.strips}
        return replace(
            after,
            strips=tuple(
                replace(s, tags=(*s.tags, OPEN_END)) if s.id in open_ends and OPEN_END not in s.tags else s
                for s in after.strips
            ),
        )

    def _moved(self, route: Route, strips: Mapping[str, Strip]) -> Route | str:
        """A route between the strips here; a sentence where an outlet or an insert is not there."""
        start, end = strips[self.ids[route.from_strip]], strips[self.ids[route.to]]
        if start.id == end.id and route.from_strip != route.to:
            return "it would feed itself"
        outlet, insert = route.from_outlet, route.to_insert
        if outlet is not None and all(one.id != outlet for one in start.outlets):
            if start.outlets:
                return f"{start.name} has no outlet {outlet}"
            outlet = None
        if insert is not None:
            insert = self.inserts.get(insert) or self._insert_like(insert, end)
            if insert is None:
                return f"{end.name} has no insert with a key input"
        return replace(route, from_strip=start.id, to=end.id, from_outlet=outlet, to_insert=insert)

    def _insert_like(self, wanted: str, end: Strip) -> str | None:
        """The insert of a strip that is there, of the name or type of the one that was keyed."""
        was = next(insert for strip in self.inner.strips for insert in strip.inserts if insert.id == wanted)
        able = [insert for insert in end.inserts if insert.traits.can_be_keyed]
        like = [one for one in able if one.id == wanted] or [one for one in able if one.name and one.name == was.name]
        like = like or [one for one in able if one.type == was.type]
        return like[0].id if like else None

    def _on_free_channel(self, route: Route, said: str, midi: Ways) -> Route:
        """A midi route on a channel of its own, where the one it had is played already."""
        there = [r for r in self.there.routes if r.kind == "midi" and r.to == route.to]
        used = {(r.port or 1, r.channel) for r in (*there, *(r for r in self.new_routes if r.to == route.to))}
        at = (route.port or 1, route.channel)
        if route.kind != "midi" or route.channel is None or midi == "keep" or at not in used or not there:
            return route
        port, channel = next_midi(self.after, self.new_routes, route.to)
        self.say("midi", f"{said}, {at[0]}.{at[1]}", f"{port}.{channel}")
        return replace(route, port=port, channel=channel)

    # fields that name strips

    def _with_strips(self) -> Template:
        known = {piece.id for piece in self.there.sections}
        sections = tuple(
            replace(
                section, id=self.sections[section.id], bus=self.ids.get(section.bus or ""),
                defaults=defaults_renamed(section.defaults, self.ids.get),
                parent=self.sections.get(section.parent or ""),
            )
            for section in self.inner.sections if self.sections[section.id] not in known
        )  # fmt: skip
        there = {piece.id for piece in self.there.machines}
        machines = tuple(
            replace(machine, id=self.machines[machine.id])
            for machine in self.inner.machines if self.machines[machine.id] not in there
        )  # fmt: skip
        template = replace(
            self.there, strips=(*self.there.strips, *self.new), sections=(*self.there.sections, *sections),
            machines=(*self.there.machines, *machines),
        )  # fmt: skip
        return in_sections(template, {strip.id for strip in self.new})

    def others(self) -> None:
        """Stems, choices and rules that come with it; their ids are free ones."""
        # The stems of a strip that exists already are there too, or are not wanted.
        stems = [stem for stem in self.inner.stems if stem.strip not in self.share]
        stem_ids = _free_ids(stems, self.there.stems)
        stems = [
            replace(
                stem, id=stem_ids[stem.id], strip=self.ids.get(stem.strip or ""), print=self.ids.get(stem.print or ""),
                of=tuple(stem_ids[part] for part in stem.of if part in stem_ids),
            )
            for stem in stems
        ]  # fmt: skip
        choice_ids = _free_ids(self.inner.choices, self.there.choices)
        choices = [
            replace(one, id=choice_ids[one.id], members=tuple(map(self._member, one.members)))
            for one in self.inner.choices
        ]
        rule_ids = _free_ids(self.inner.rules, self.there.rules)
        rules = [self._rule(rule, rule_ids[rule.id]) for rule in self.inner.rules]
        for what, pieces in (("stem", stems), ("choice", choices), ("rule", rules)):
            for piece in pieces:
                self.say(what, piece.name, "new")
        self.after = replace(
            self.after, stems=(*self.there.stems, *stems), choices=(*self.there.choices, *choices),
            rules=(*self.there.rules, *rules),
        )  # fmt: skip

    def _member(self, member: str) -> str:
        if member.startswith(SECTION):
            return self._selector(member)
        name, slash, outlet = member.partition("/")
        return f"{self.ids[name]}{slash}{outlet}"

    def _rule(self, rule: Rule, new_id: str) -> Rule:
        parts = {part: tuple(map(self._selector, getattr(rule, part))) for part in ("sources", "through", "to")}
        return replace(rule, id=new_id, **parts)

    def _selector(self, selector: str) -> str:
        sign, plain = ("!", selector[1:]) if selector.startswith("!") else ("", selector)
        what, _colon, name = plain.partition(":")
        return f"{sign}{what}:{self.ids[name] if what == 'strip' else self.sections[name]}"


def _free_ids(pieces: Iterable[Any], there: Iterable[Any]) -> dict[str, str]:
    """Ids for pieces that come: their own, or the next that is free."""
    taken = {piece.id for piece in there}
    found = {}
    for piece in pieces:
        found[piece.id] = free_id(piece.id, taken)
        taken.add(found[piece.id])
    return found


def _put_words(_template: Template, arguments: dict[str, Any]) -> str:
    return f"Add {arguments['block'].get('template', {}).get('name', 'a block')}"


@edit(
    Object("block"),
    Object("ties", default=None),
    Object("share", default=None),
    OneOf("names", options=("free", "keep"), default="free"),
    OneOf("channels", options=("free", "keep"), default="free"),
    OneOf("midi", options=("free", "keep"), default="free"),
    says=_put_words,
)
def put_block(
    template: Template,
    block: dict[str, Any],
    ties: dict[str, Any] | None = None,
    share: dict[str, Any] | None = None,
    names: Ways = "free",
    channels: Ways = "free",
    midi: Ways = "free",
) -> Template:
    """A template with a block in it; see `placed`. Raises DocumentError where the block is none."""
    return placed(template, from_plain(block), ties, share, names, channels, midi).template
