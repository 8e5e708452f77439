"""Deliverables in one step: chosen buses become stems, a mix or a composite of a set, each with its print."""

from __future__ import annotations

from typing import Any, get_args

from lattice.edits.arguments import Choice, Pieces, Text, Words
from lattice.edits.described import edit
from lattice.edits.pieces import all_known
from lattice.edits.routes import add_route, change_route
from lattice.edits.stems import add_stem, change_stem, print_stem
from lattice.errors import EditError
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Stem, Tap, Template
from lattice.model.name_words import belong_together

ROLES = ("stem", "mix", "composite")
TAPS = get_args(Tap)[::-1]  # the usual one first


def _words(template: Template, arguments: dict[str, Any]) -> str:
    many, role = Pieces("strips").said(arguments["strips"], template), arguments.get("role", "stem")
    return f"Deliver {many} as {'stems' if role == 'stem' and len(arguments['strips']) > 1 else f'a {role}'}"


@edit(
    Pieces("strips"),
    Choice("role", "as", options=ROLES, default="stem"),
    Text("set", "of the set", default="main"),
    Choice("tap", "taken", options=TAPS, default="post-fader"),
    Words("of", "its parts", default=None),
    Choice("prints", options=("with prints", "without prints"), default="with prints"),
    says=_words,
)
def deliver(
    template: Template,
    strips: list[str],
    role: str = "stem",
    set: str = "main",
    tap: str = "post-fader",
    of: list[str] | None = None,
    prints: str = "with prints",
) -> Template:
    """Stems, mixes or composites of a set from strips, with their names and layouts, each recorded by a print.

    Parameters
    ----------
    template
        The template.
    strips
        Where they are taken, a deliverable each.
    role, set, tap
        Their role, their delivery, and their tap.
    of
        A composite's parts: ids or names of stems.
    prints
        Whether each gets a print that records it at its tap: one its strip feeds already, an unfed one of its name, or
        a new one.

    Raises
    ------
    EditError
        If a strip carries no sound or is in this set already, or a part is not a stem of the set.
    """
    wanted = all_known(template.strips, strips, "strip")
    parts = _parts(template, set, of or []) if role == "composite" else []
    graph = SignalGraph(template)
    for number, strip in enumerate(template.strips):
        if strip.id not in wanted:
            continue
        if not strip.traits.leaves_by_routes:
            raise EditError(f"{strip.name} is of kind {strip.kind}; a stem needs a strip with audio")
        if any((stem.strip, stem.set, stem.role) == (strip.id, set, role) for stem in template.stems):
            raise EditError(f"{strip.name} is already a {role} of the set {set}")
        layout = strip.layout if tap == "pre-insert" else graph.chain_layout[number]
        stem = {"name": strip.name, "role": role, "set": set, "strip": strip.id, "tap": tap, "layout": layout}
        template = add_stem(template, stem | ({"of": parts} if parts else {}))
        if prints == "with prints":
            template = _printed(template, template.stems[-1])
    return template


def _printed(template: Template, stem: Stem) -> Template:
    """The stem recorded by a print that its strip feeds, by an unfed one of its name, else by a new one."""
    taken = {known.print for known in template.stems} | {known.strip for known in template.stems}
    free = {strip.id: strip.name for strip in template.strips if strip.kind == "print" and strip.id not in taken}
    feeds = [r for r in template.routes if r.from_strip == stem.strip and r.to in free and r.from_outlet is None]
    at_its_tap = [route for route in feeds if route.tap == stem.tap] or feeds
    if at_its_tap:
        route = at_its_tap[0]
        template = change_route(template, route.id, {"tap": stem.tap}) if route.tap != stem.tap else template
        return change_stem(template, stem.id, {"print": route.to})
    fed = {route.to for route in template.routes}
    named = belong_together(stem.name, {one: name for one, name in free.items() if one not in fed})
    if named is None:
        return print_stem(template, stem.id)
    template = add_route(template, {"kind": "feed", "from": stem.strip, "to": named, "tap": stem.tap})
    return change_stem(template, stem.id, {"print": named})


def _parts(template: Template, delivery: str, wanted: list[str]) -> list[str]:
    stems = {stem.id: stem.id for stem in template.stems if stem.set == delivery and stem.role == "stem"}
    stems |= {stem.name.casefold(): stem.id for stem in template.stems if stem.id in stems}
    missing = [part for part in wanted if part not in stems and part.casefold() not in stems]
    if missing:
        raise EditError(f"stem {missing[0]} does not exist in the set {delivery}")
    if len(wanted) < 2:
        raise EditError("a composite needs at least two stems as parts")
    return [stems.get(part) or stems[part.casefold()] for part in wanted]
