"""A template reduced to some strips and everything downstream; lists the severed routes."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

from msgspec.structs import replace

from lattice.edits.arguments import Pieces
from lattice.edits.described import edit
from lattice.edits.pieces import all_known
from lattice.errors import EditError
from lattice.model.dangling import rule_without, without_strips
from lattice.model.document import Route, Template
from lattice.model.sections import with_inner, with_outer


@dataclass(frozen=True)
class CutDown:
    """A template cut down.

    Attributes
    ----------
    template
        The remaining strips.
    kept
        Its strips: those chosen, and everything downstream of them.
    severed
        Routes from removed strips into remaining ones.
    changed
        Strips downstream of those routes: levels and arrivals there may be others.
    lost
        Pieces that named removed strips: “stem Drums”, “rule Own”, and so on.
    """

    template: Template
    kept: frozenset[str]
    severed: tuple[Route, ...]
    changed: frozenset[str]
    lost: tuple[str, ...]


def downstream(routes: Iterable[Route], starts: Collection[str]) -> frozenset[str]:
    """Strips that routes lead to from some, these included, whatever the kind and state of the routes. O(routes)."""
    ways: dict[str, list[str]] = {}
    for route in routes:
        ways.setdefault(route.from_strip, []).append(route.to)
    found, ahead = set(starts), list(starts)
    while ahead:
        for to in ways.get(ahead.pop(), ()):
            if to not in found:
                found.add(to)
                ahead.append(to)
    return frozenset(found)


def cut(template: Template, strips: Collection[str], sections: Collection[str] = ()) -> CutDown:
    """A template reduced to some strips and sections, and everything downstream of them.

    Parameters
    ----------
    template
        The template.
    strips, sections
        Ids to retain; a section includes its strips.

    Returns
    -------
    CutDown
        Levels and arrivals at a remaining strip are unchanged unless it is downstream of a severed route.

    Raises
    ------
    EditError
        Where there is no such strip or section, none is named, or nothing would go.
    """
    chosen = set(all_known(template.strips, strips, "strip"))
    inside = with_inner(template, all_known(template.sections, sections, "section"))
    chosen |= {strip.id for strip in template.strips if strip.section in inside}
    if not chosen:
        raise EditError("no strip selected")
    kept = downstream(template.routes, chosen)
    gone = frozenset(strip.id for strip in template.strips if strip.id not in kept)
    severed = tuple(route for route in template.routes if route.from_strip in gone and route.to in kept)
    left = without_strips(template, gone)
    used = with_outer(template, {strip.section for strip in left.strips})
    empty = {f"section:{section.id}" for section in left.sections if section.id not in used}
    rules = (rule_without(rule, empty) for rule in left.rules)
    left = replace(
        left, sections=tuple(section for section in left.sections if section.id in used),
        rules=tuple(rule for rule in rules if rule is not None),
    )  # fmt: skip
    changed = downstream(left.routes, {route.to for route in severed})
    return CutDown(left, kept, severed, changed, tuple(_lost(template, left)))


def _lost(before: Template, after: Template) -> Iterator[str]:
    """Stems, choices and rules that are gone, or that name less than they did."""
    for what, name in (("stem", "stems"), ("choice", "choices"), ("rule", "rules")):
        left = {piece.id: piece for piece in getattr(after, name)}
        for piece in getattr(before, name):
            if piece.id not in left:
                yield f"{what} {piece.name} goes"
            elif left[piece.id] != piece:
                yield f"{what} {piece.name} fewer names"


@edit(
    Pieces("strips", default=None),
    Pieces("sections", kind="section", default=None),
    says="Reduce",
)
def cut_down(template: Template, strips: list[str] | None = None, sections: list[str] | None = None) -> Template:
    """A template with some strips and sections and everything downstream alone; see `cut`."""
    return cut(template, strips or (), sections or ()).template
