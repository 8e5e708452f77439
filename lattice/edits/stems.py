"""Edits of stems: deliverables, their prints, and shared returns taken apart."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.deliverables.split import split_plan
from lattice.deliverables.taps import Taps
from lattice.edits.arguments import Fields, Piece, Pieces, Text
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, insert_ids, made, position, put, strip_of
from lattice.errors import EditError
from lattice.graph.loops import LoopGraph
from lattice.graph.reach import Reach
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Insert, Route, Stem, Strip, Template
from lattice.model.names import free_id, free_route_ids, slug


def _added_words(_template: Template, arguments: dict[str, Any]) -> str:
    stem = arguments["stem"]
    return f"Add {stem.get('role', 'stem')} {stem.get('name', '')}"


@edit(Fields("stem", piece=Stem), says=_added_words)
def add_stem(template: Template, stem: dict[str, Any]) -> Template:
    """A new stem, mix or composite; it gets an id and the layout of its strip where it names none."""
    strip = next((known for known in template.strips if known.id == stem.get("strip")), None)
    usual: dict[str, Any] = {
        "id": free_id(f"st-{slug(str(stem.get('name', '')))}"[:64], {s.id for s in template.stems})
    }
    if strip is not None:
        usual["layout"] = strip.layout
    return replace(template, stems=(*template.stems, made(Stem, usual | stem)))


@edit(Piece("stem", kind="stem"), Fields("changes", piece=Stem), says="{stem}: {changes}")
def change_stem(template: Template, stem: str, changes: dict[str, Any]) -> Template:
    """One stem with some fields changed."""
    at = position(template.stems, stem, "stem")
    return replace(template, stems=put(template.stems, at, changed(template.stems[at], changes)))


@edit(Pieces("stems", kind="stem"), says="Remove {stems}")
def remove_stems(template: Template, stems: list[str]) -> Template:
    """Without some stems; composites lose them as parts. Strips and prints stay."""
    gone = all_known(template.stems, stems, "stem")
    kept = (stem for stem in template.stems if stem.id not in gone)
    return replace(
        template, stems=tuple(replace(stem, of=tuple(part for part in stem.of if part not in gone)) for stem in kept)
    )


@edit(Piece("stem", kind="stem"), says="Print {stem}")
def print_stem(template: Template, stem: str) -> Template:
    """A print for a stem: a strip that records it at its tap, with the layout of that stage."""
    at = position(template.stems, stem, "stem")
    stem_taken = template.stems[at]
    if stem_taken.strip is None:
        raise EditError(f"{stem_taken.name} has no strip; it cannot be printed")
    where, source = strip_of(template, stem_taken.strip)
    layout = source.layout if stem_taken.tap == "pre-insert" else SignalGraph(template).chain_layout[where]
    name = f"{stem_taken.name} print"
    strip = Strip(
        id=free_id(slug(name), {known.id for known in template.strips}), name=name[:120], kind="print", layout=layout,
        machine=source.machine,
    )  # fmt: skip
    route = Route(id=next(free_route_ids(template)), kind="feed", from_strip=source.id, tap=stem_taken.tap, to=strip.id)
    return replace(
        template,
        strips=(*template.strips, strip),
        routes=(*template.routes, route),
        stems=put(template.stems, at, replace(stem_taken, print=strip.id)),
    )


def _stems_of(template: Template, arguments: dict[str, Any]) -> set[str]:
    """A set's stems and their prints: the return's share moves between them. Its mixes should stay."""
    stems = [stem for stem in template.stems if stem.set == arguments["set"] and stem.role != "mix"]
    return {stem.id for stem in stems} | {stem.print for stem in stems if stem.print}


@edit(Piece("strip"), Text("set"), says="Split {strip}", keeps_sound=_stems_of)
def split_return(template: Template, strip: str, set: str) -> Template:
    """One return for each stem: a copy of a shared one for every other stem that sends to it, fed to that stem.

    The copies have the same inserts, fader and pan; sends keep their levels and taps. The content of the set's stems
    changes, as intended; its mixes and all other endpoints sound as before.
    """
    strip_number, shared = strip_of(template, strip)
    if shared.kind != "return":
        raise EditError(f"{shared.name} is not a return")
    graph = SignalGraph(template)
    plan = split_plan(Taps(Reach(graph, states=True), LoopGraph(graph)), strip_number, set)
    ids, taken = free_route_ids(template), {known.id for known in template.strips}
    taken_inserts = insert_ids(template)
    strips: list[Strip] = []
    feeds: list[Route] = []
    moved: dict[str, str] = {}
    level_db = next((r.gain_db for r in template.routes if r.from_strip == strip and r.kind == "feed"), 0.0)
    for stem, routes in plan.items():
        copied_stem = template.stems[stem]
        copy_id = free_id(slug(f"{shared.id}-{copied_stem.name}"), taken)
        taken.add(copy_id)
        renamed = _copied(shared.inserts, taken_inserts)
        copy_of = {old.id: new.id for old, new in zip(shared.inserts, renamed, strict=True)}
        end = graph.strips[graph.index[copied_stem.strip or ""]]
        copy = replace(
            shared, id=copy_id, name=f"{shared.name}, {copied_stem.name}"[:120], inserts=renamed, section=end.section
        )
        strips.append(copy)
        feeds.append(Route(id=next(ids), kind="feed", from_strip=copy_id, to=end.id, gain_db=level_db))
        feeds += [
            replace(key, id=next(ids), to=copy_id, to_insert=copy_of[key.to_insert or ""])
            for key in template.routes
            if key.kind == "key" and key.to == strip
        ]
        moved |= {graph.routes[route].id: copy_id for route in routes}
    kept = (replace(r, to=moved[r.id]) if r.id in moved else r for r in template.routes)
    at = strip_number + 1
    return replace(
        template,
        strips=(*template.strips[:at], *strips, *template.strips[at:]),
        routes=(*kept, *feeds),
    )


def _copied(inserts: tuple[Insert, ...], taken: set[str]) -> tuple[Insert, ...]:
    """The same inserts under ids of their own, which are taken from then on."""
    found = []
    for insert in inserts:
        found.append(replace(insert, id=free_id(insert.id, taken)))
        taken.add(found[-1].id)
    return tuple(found)
