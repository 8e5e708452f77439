"""Templates derived by the parameters of an address: first a preview, then one edit or a variant."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.http import QueryDict
from msgspec.structs import replace

from lattice.changes.update_variant import Carried, carried
from lattice.edits.change_layout import LAYOUTS, programme_strips, reformatted
from lattice.edits.merge import GONE, Difference, differences, merged
from lattice.edits.reduce import cut
from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import read_back
from lattice.matters.effect import level_changes
from lattice.model.document import Template
from lattice.model.names import joined
from lattice.model.strip_kinds import ENDS
from web.editor.differences import names_of, said
from web.editor.picture import pictured
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace

WIDEST_NAME = 120


@dataclass(frozen=True)
class Making:
    """The derived template, its text for the history, and lists of its changes."""

    template: Template
    label: str
    lists: Sequence[tuple[str, Sequence[str]]] = ()
    extra: dict[str, Any] = field(default_factory=dict)


def _route_words(template: Template) -> Callable[[Any], str]:
    names = {strip.id: strip.name for strip in template.strips}
    return lambda route: f"{route.kind} {names[route.from_strip]} → {names[route.to]}"


def cut_down(template: Template, asked: QueryDict) -> Making | None:
    """A template reduced to the selected sections and strips; None without a selection."""
    sections = [one.id for one in template.sections if one.id in asked.getlist("section")]
    wanted = {word for text in asked.getlist("strips") for word in text.split()}
    strips = [one.id for one in template.strips if one.id in wanted]
    if not sections and not strips:
        return None
    found = cut(template, strips, sections)
    words = _route_words(template)
    names = {strip.id: strip.name for strip in template.strips}
    chosen = [one.name for one in template.sections if one.id in sections] + [names[one] for one in strips]
    lists = (
        ("Disconnected", [words(route) for route in found.severed]),
        ("No longer named", list(found.lost)),
    )
    label = f"Reduce to {joined(chosen, 3)}"
    return Making(found.template, label, lists, {"kept": len(found.kept), "of": len(template.strips)})


def in_layout(template: Template, asked: QueryDict) -> Making | None:
    """A template with its programme in the selected layout; None without one."""
    before, after = layouts_asked(template, asked)
    if not asked.get("after"):
        return None
    strips = asked.getlist("strip") if asked.get("chosen") else None
    found = reformatted(template, before, after, strips, panners=bool(asked.get("panners")))
    names, words = {strip.id: strip.name for strip in template.strips}, _route_words(template)
    lists = (
        (f"In {after}", [names[strip] for strip in found.strips]),
        (f"Stay {before}", [names[strip] for strip in found.stays]),
        ("Fold down", [words(route) for route in found.folds]),
        ("Also changed", list(found.said)),
    )
    return Making(found.template, f"{before} to {after}", lists, {"differs": found.strips})


def layouts_asked(template: Template, asked: QueryDict) -> tuple[str, str]:
    """The current layout of the programme, as selected or as most of it has, and the new one."""
    by_use = {name: len(programme_strips(template, name)) for name in LAYOUTS}
    before = asked.get("before") or max(by_use, key=by_use.__getitem__)
    return before, asked.get("after") or ("5.1" if before == "stereo" else "stereo")


def candidates(template: Template, before: str, asked: QueryDict) -> list[tuple[str, str, str, bool]]:
    """Id, name, kind of sums and ends of a layout, and whether each changes."""
    usual = set(asked.getlist("strip")) if asked.get("chosen") else set(programme_strips(template, before))
    return [
        (strip.id, strip.name, strip.kind, strip.id in usual)
        for strip in template.strips
        if strip.layout == before and (strip.kind in ("bus", "return", "master") or strip.kind in ENDS)
    ]


# variants


def changes_of_origin(stored: StoredTemplate, space: Workspace, origin: Workspace) -> tuple[Carried, list[Difference]]:
    """A variant with the changes of its original since both were equal, and the differences.

    Raises EditError where that is not known.
    """
    if not stored.variant_base:
        raise EditError("the original version is not known: the copy was made by an older program")
    base = read_back(document_of(bytes(stored.variant_base)))
    found = carried(base, origin.template, space.template)
    return found, differences(space.template, found.template, found.gone)


def ticked_rows(
    space: Workspace, newer: Template, listed: Sequence[Difference], gone: Sequence[str], asked: QueryDict
) -> dict[str, Any]:
    """Differences in words, each selected as in the address, and the template with the selected ones."""
    names = names_of(newer) | names_of(space.template)
    ticked = set(asked.getlist("key")) if "chosen" in asked else {one.key for one in listed if one.is_usual}
    rows = [(one, one.key in ticked, _words(one, names)) for one in listed]
    keys = [one.key for one, is_ticked, _said in rows if is_ticked]
    try:
        template = merged(space.template, newer, keys, gone) if keys else space.template
    except DocumentError as wrong:
        return {"rows": rows, "refused": wrong.problems}
    return {"rows": rows, "count": len(keys), **pictured(template, space)}


def _words(one: Difference, names: dict[tuple[str, str], str]) -> str:
    if one.kind == GONE:
        return f"{names.get(('strip', one.strip), one.strip)} is removed, with its routes"
    return "; ".join(said(change, names) for change in one.changes)


def carry_over(stored: StoredTemplate, space: Workspace, origin: Workspace, keys: Sequence[str]) -> Template:
    """A variant with the selected changes of its original; without a selection it is unchanged."""
    found, _listed = changes_of_origin(stored, space, origin)
    return merged(space.template, found.template, keys, found.gone) if keys else space.template


def as_variant(template: Template, name: str) -> Template:
    """A template under the name of a variant. Raises EditError where there is none."""
    plain = " ".join(name.split())[:WIDEST_NAME]
    if not plain:
        raise EditError("a variant needs a name")
    return replace(template, name=plain)


def level_rows(there: Workspace, then: Workspace) -> list[Any]:
    """Endpoints whose likely peak is another."""
    return list(level_changes(there.analysis, then.analysis))
