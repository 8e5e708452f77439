"""Duplicating strips with their routes, numbered on, on the next free channels."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable

from msgspec.structs import replace

from lattice.edits.arguments import Piece, Pieces, Text, Whole
from lattice.edits.channels import next_io, next_midi
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, position
from lattice.errors import EditError
from lattice.model.document import LONGEST_LABEL, MAX_STRIPS, Insert, Route, Section, Strip, Template
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.section_defaults import defaults_renamed
from lattice.model.sections import with_inner

# A slip of the finger in this field should not fill the template.
MOST_TIMES = 200


@edit(Pieces("strips"), Whole("times", default=1), says="Duplicate {strips} ×{times}")
def duplicate(template: Template, strips: list[str], times: int = 1) -> Template:
    """`times` copies of strips behind the last of them, with the routes among them and those that leave them.

    Copies are numbered (Tom 1 → Tom 2), get the next free physical channels of their machine and the next free channels
    of the instrument they play. Routes from outside into them are not copied, except keys: a copied insert has the same
    trigger.
    """
    wanted = all_known(template.strips, strips, "strip")
    if not wanted or not 1 <= times <= MOST_TIMES:
        raise EditError(f"{times} copies of {len(wanted)} strips; at least one strip, and 1 to {MOST_TIMES} copies")
    if len(template.strips) + times * len(wanted) > MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    originals = [strip for strip in template.strips if strip.id in wanted]
    for _ in range(times):
        template = _copied(template, originals)
    return template


@edit(Piece("section", kind="section"), Whole("times", default=1), says="Duplicate {section} ×{times}")
def duplicate_section(template: Template, section: str, times: int = 1) -> Template:
    """`times` copies of a section with the sections inside it, its strips, its bus and their routes, behind it."""
    position(template.sections, section, "section")
    if not 1 <= times <= MOST_TIMES:
        raise EditError(f"{times} copies; allowed are 1 to {MOST_TIMES}")
    inside = _inside(template, section)
    originals = [strip for strip in template.strips if strip.section in inside]
    if len(template.strips) + times * len(originals) > MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    for _ in range(times):
        template = _copied_section(template, inside, originals)
    return template


@edit(Piece("section", kind="section"), Text("names"), says="Duplicate {section} as {names}")
def duplicate_set(template: Template, section: str, names: str) -> Template:
    """A copy of a section for each name, with its bus and routes: same destinations, strips renamed like the section.

    Names have commas or line ends between: “B, C” for a section A renames “Choir A 1” to “Choir B 1” and “Choir C 1”.
    Where a strip does not have the name of the section in its own, the new one is put behind it.
    """
    index = position(template.sections, section, "section")
    wanted = [" ".join(name.split()) for name in re.split(r"[,\n]", names) if name.strip()]
    there = {known.name.casefold() for known in template.sections}
    taken = next((name for name in wanted if name.casefold() in there), None)
    if taken is not None:
        raise EditError(f"a section {taken} exists already")
    if not 1 <= len(wanted) <= MOST_TIMES or len({name.casefold() for name in wanted}) < len(wanted):
        raise EditError(f"{len(wanted)} names; 1 to {MOST_TIMES} different ones are needed")
    long = next((name for name in wanted if len(name) > LONGEST_LABEL), None)
    if long is not None:
        raise EditError(f"“{long[:40]}…” is longer than {LONGEST_LABEL} characters")
    inside = _inside(template, section)
    originals = [strip for strip in template.strips if strip.section in inside]
    if len(template.strips) + len(wanted) * len(originals) > MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    old = template.sections[index].name
    for name in wanted:
        template = _copied_section(template, inside, originals, Renaming(old, name))
    return template


class Renaming:
    """Names of copies: what differs between two names of a section differs in the names of its strips.

    Parameters
    ----------
    old, new
        Name of the section, and of its copy: “Backs A” and “Backs B” differ by A and B.
    """

    def __init__(self, old: str, new: str) -> None:
        self.old, self.new = old, new
        before, after = old.split(), new.split()
        is_alike = len(before) == len(after) and any(a == b for a, b in zip(before, after, strict=True))
        pairs = zip(before, after, strict=True) if is_alike else [(old, new)]
        self.words = {a: b for a, b in pairs if a != b}

    def name(self, name: str, taken: Collection[str]) -> str:
        """The name of a copy that no other strip or section has."""
        wanted = name
        for old, new in self.words.items():
            wanted = re.sub(rf"(?<!\w){re.escape(old)}(?!\w)", lambda _found, new=new: new, wanted)  # type: ignore[misc]
        if wanted == name:
            wanted = f"{name} {' '.join(self.words.values())}"
        wanted = wanted[:LONGEST_LABEL]
        return numbered_on(wanted, taken) if wanted in taken else wanted


def _inside(template: Template, section: str) -> list[str]:
    """A section and those within it, in document order."""
    found = with_inner(template, {section})
    return [known.id for known in template.sections if known.id in found]


def _copied_section(
    template: Template, inside: list[str], originals: list[Strip], renaming: Renaming | None = None
) -> Template:
    names = {known.name for known in template.sections}
    taken = {known.id for known in template.sections}
    new_section: dict[str, str] = {}
    copies: list[Section] = []
    for known in template.sections:
        if known.id in inside:
            name = renaming.name(known.name, names) if renaming else numbered_on(known.name, names)
            copies.append(replace(known, id=free_id(slug(name), taken), name=name))
            names.add(name)
            taken.add(copies[-1].id)
            new_section[known.id] = copies[-1].id
    before = {strip.id for strip in template.strips}
    template, new_id = _with_copies(template, originals, new_section, renaming) if originals else (template, {})
    copies = [
        replace(
            copy,
            parent=new_section.get(copy.parent or "", copy.parent),
            bus=new_id.get(copy.bus or "", copy.bus if copy.bus in before else None),
            defaults=defaults_renamed(copy.defaults, lambda strip: new_id.get(strip, strip)),
        )
        for copy in copies
    ]
    return replace(template, sections=(*template.sections, *copies))


def _copied(template: Template, originals: list[Strip]) -> Template:
    return _with_copies(template, originals, {})[0]


def _with_copies(
    template: Template, originals: list[Strip], new_section: dict[str, str], renaming: Renaming | None = None
) -> tuple[Template, dict[str, str]]:
    """The template with one copy of each original, and the copies' ids by those of the originals."""
    names = {strip.name for strip in template.strips}
    taken = {strip.id for strip in template.strips}
    insert_ids = {insert.id for strip in template.strips for insert in strip.inserts}
    new_id: dict[str, str] = {}
    new_insert: dict[str, str] = {}
    copies: list[Strip] = []
    for strip in originals:
        name = renaming.name(strip.name, names) if renaming else numbered_on(strip.name, names)
        copy_id = free_id(slug(name), taken)
        names.add(name)
        taken.add(copy_id)
        new_id[strip.id] = copy_id
        inserts = tuple(_copied_insert(insert, insert_ids, new_insert) for insert in strip.inserts)
        section = new_section.get(strip.section or "", strip.section)
        io = next_io(template, copies, strip)
        copies.append(replace(strip, id=copy_id, name=name, section=section, inserts=inserts, io=io))
    at = _behind(template, originals)
    template = replace(template, strips=(*template.strips[:at], *copies, *template.strips[at:]))
    return _with_routes(template, new_id, new_insert), new_id


def _behind(template: Template, originals: list[Strip]) -> int:
    """After the last original, and after existing copies of the same stem."""
    place = {strip.id: n for n, strip in enumerate(template.strips)}
    at = 1 + max(place[strip.id] for strip in originals)
    stems = {_stem(strip.name) for strip in originals}
    while at < len(template.strips) and _stem(template.strips[at].name) in stems:
        at += 1
    return at


def _stem(name: str) -> str:
    """A name without the number behind it."""
    return re.sub(r"\s*\d+$", "", name)


def _numbered_off(strip_id: str) -> str:
    """The id without the number a copy may have put behind it."""
    return re.sub(r"-\d+$", "", strip_id) or strip_id


def _copied_insert(insert: Insert, taken: set[str], new_insert: dict[str, str]) -> Insert:
    copy_id = free_id(_numbered_off(insert.id), taken)
    taken.add(copy_id)
    new_insert[insert.id] = copy_id
    return replace(insert, id=copy_id)


def numbered_on(name: str, taken: Iterable[str]) -> str:
    """Tom → Tom 2, Tom 2 → Tom 3: the first number that is free. A name too long for it is cut."""
    taken = set(taken)
    match = re.fullmatch(r"(.*?)[ ]*(\d+)", name)
    stem, number = (match[1], int(match[2])) if match else (name, 1)
    while True:
        number += 1
        wanted = f"{stem[: LONGEST_LABEL - len(str(number)) - 1]} {number}".strip()
        if wanted not in taken:
            return wanted


def _with_routes(template: Template, new_id: dict[str, str], new_insert: dict[str, str]) -> Template:
    numbers = free_route_ids(template)
    added: list[Route] = []
    for route in template.routes:
        if route.from_strip not in new_id:
            if route.kind == "key" and route.to in new_id:  # a copied insert listens to the same trigger
                listener = new_insert[route.to_insert or ""]
                added.append(replace(route, id=next(numbers), to=new_id[route.to], to_insert=listener))
            continue
        to = new_id.get(route.to, route.to)
        insert = (
            new_insert.get(route.to_insert, route.to_insert) if route.to_insert and to != route.to else route.to_insert
        )
        copy = replace(route, id=next(numbers), from_strip=new_id[route.from_strip], to=to, to_insert=insert)
        if copy.kind == "midi" and to == route.to and copy.channel is not None:
            port, channel = next_midi(template, added, to, copy.port or 1)
            copy = replace(copy, port=port, channel=channel)
        added.append(copy)
    return replace(template, routes=(*template.routes, *added))
