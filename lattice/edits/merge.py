"""A template and a newer version of it: their differences as a selectable list, and the selected ones as one change."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from msgspec.structs import fields, replace

from lattice.changes.apply_changes import key_of, may_be_taken, take_over
from lattice.changes.compare import Change, compare
from lattice.edits.strips import remove_strips
from lattice.errors import EditError
from lattice.formats.gate import validated
from lattice.model.dangling import without_dangling
from lattice.model.document import Route, Strip, Template

NEW, CHANGED, RENAMED, GONE, ORDER, OTHER = "new", "changed", "renamed", "gone", "order", "other"
FIELD_OF = {field.encode_name: field.name for field in fields(Strip)}


@dataclass(frozen=True)
class Difference:
    """One line of the list. `strip` is the id of its strip, empty without one."""

    key: str
    kind: str
    strip: str
    changes: tuple[Change, ...]

    @property
    def is_usual(self) -> bool:
        """Return whether it is selected by default: removals are not."""
        return self.kind != GONE


def differences(
    template: Template, newer: Template, gone: Collection[str] = (), renamed: Collection[str] = ()
) -> list[Difference]:
    """The differences of a newer version, by strip.

    Parameters
    ----------
    template
        The state that is there.
    newer
        The newer one; pieces missing in it were removed.
    gone
        Strips that are still in it, and that count as gone.
    renamed
        Strips that were matched by a name that is alike.

    Returns
    -------
    list of Difference
        New strips with the routes that come with them, fields and routes that changed, strips that are gone, the order
        of the strips, and everything that is about no strip. O(size of both).
    """
    there, new = {strip.id for strip in template.strips}, {strip.id for strip in newer.strips}
    lost = {*gone, *(there - new)}
    found: dict[str, Difference] = {}
    with_strip: dict[str, list[Change]] = defaultdict(list)
    rest: list[Difference] = []
    for change in compare(template, newer):
        if change.what == "strip" and change.change == "added":
            with_strip[change.id].insert(0, change)
        elif change.what == "strip" and change.change == "changed":
            kind = RENAMED if change.field == "name" and change.id in renamed else CHANGED
            key = f"strip/{change.id}/{change.field}"
            found[key] = Difference(key, kind, change.id, (change,))
        elif change.what == "route":
            host = _host(change, template, newer, new - there)
            if host:
                with_strip[host].append(change)
            elif not _is_of(change, there - new):
                key = f"route/{change.id}"
                before = found[key].changes if key in found else ()
                found[key] = Difference(key, CHANGED, _start(change, template), (*before, change))
        elif change.what not in ("strip", "section", "machine") and may_be_taken(change):
            rest.append(Difference(f"other/{key_of(change)}", OTHER, "", (change,)))
    come = [Difference(f"new/{one}", NEW, one, tuple(with_strip[one])) for one in with_strip]
    left = [
        Difference(f"gone/{strip.id}", GONE, strip.id, (Change("removed", "strip", strip.id),))
        for strip in template.strips
        if strip.id in lost
    ]
    return [*come, *found.values(), *left, *_order(template, newer, there & new), *rest]


def _host(change: Change, template: Template, newer: Template, come: Collection[str]) -> str:
    """The new strip that an added route comes with; empty where both its ends are there."""
    if change.change != "added":
        return ""
    return next((end for end in (change.after["from"], change.after["to"]) if end in come), "")


def _start(change: Change, template: Template) -> str:
    """The strip whose route it is."""
    if change.change == "added":
        return str(change.after["from"])
    return next(route.from_strip for route in template.routes if route.id == change.id)


def _is_of(change: Change, lost: Collection[str]) -> bool:
    """Return whether a route goes because one of its strips does."""
    return change.change == "removed" and bool({change.before["from"], change.before["to"]} & set(lost))


def _order(template: Template, newer: Template, both: Collection[str]) -> Iterator[Difference]:
    was = [strip.id for strip in template.strips if strip.id in both]
    now = [strip.id for strip in newer.strips if strip.id in both]
    if was != now:
        yield Difference(ORDER, ORDER, "", (Change("moved", "strip", "", after="the order of the table"),))


def merged(template: Template, newer: Template, keys: Iterable[str], gone: Collection[str] = ()) -> Template:
    """A template with the selected changes of a newer version, as one change.

    Parameters
    ----------
    template, newer, gone
        As for `differences`.
    keys
        Keys of the differences that are ticked.

    Raises
    ------
    EditError
        For keys that are none of the differences, or no key at all.
    DocumentError
        If a selected change is not valid without one that is not selected.
    """
    wanted = set(keys)
    known = {one.key: one for one in differences(template, newer, gone)}
    unknown = sorted(wanted - known.keys())
    if unknown or not wanted:
        raise EditError(
            *(f"change {key} does not exist" for key in unknown), *([] if wanted else ["no change selected"])
        )
    others = [key.removeprefix("other/") for key in wanted if key.startswith("other/")]
    before = template
    removed = [known[key].strip for key in wanted if known[key].kind == GONE]
    if removed:
        template = remove_strips(template, removed)
    template = _with_pieces(template, newer, wanted)
    template = validated(before, template)
    # Some of these are gone already: pieces that name a strip are removed with it.
    left = {key_of(change) for change in compare(template, newer)} if others else set()
    others = [key for key in others if key in left]
    return take_over(template, newer, others) if others else template


def _with_pieces(template: Template, newer: Template, wanted: set[str]) -> Template:
    strips = _strips(template, newer, wanted)
    used = {strip.section for strip in strips} | {strip.machine for strip in strips}
    sections = [*template.sections, *_missing(template.sections, newer.sections, used)]
    machines = (*template.machines, *_missing(template.machines, newer.machines, used))
    routes = tuple(_routes(template, newer, wanted))
    return without_dangling(
        replace(template, strips=strips, sections=tuple(sections), machines=machines, routes=routes)
    )  # fmt: skip


def _missing(there: Iterable[Any], newer: Iterable[Any], used: set[str | None]) -> list[Any]:
    """Sections or machines of the newer version that strips are now in."""
    known = {one.id for one in there}
    return [one for one in newer if one.id in used and one.id not in known]


def _strips(template: Template, newer: Template, wanted: set[str]) -> tuple[Strip, ...]:
    new = {strip.id: strip for strip in newer.strips}
    taken = defaultdict(list)
    for key in wanted:
        kind, _slash, rest = key.partition("/")
        if kind == "strip":
            strip, _slash, field = rest.partition("/")
            taken[strip].append(FIELD_OF[field])
    now = {
        strip.id: replace(strip, **{field: getattr(new[strip.id], field) for field in taken[strip.id]})
        if strip.id in taken
        else strip
        for strip in template.strips
    }
    come = [strip for strip in newer.strips if f"new/{strip.id}" in wanted]
    order = _placed(list(now), [strip.id for strip in newer.strips], {strip.id for strip in come}, ORDER in wanted)
    now |= {strip.id: strip for strip in come}
    return tuple(now[one] for one in order)


def _placed(there: list[str], newer: list[str], come: set[str], is_ordered: bool) -> list[str]:
    """The order of strips: unchanged, or as in the newer version; new ones after their predecessors there."""
    known = set(there)
    if is_ordered:
        both = iter([one for one in newer if one in known])
        shared = set(newer)
        there = [next(both) if one in shared else one for one in there]
    behind: dict[str, list[str]] = defaultdict(list)
    last = ""
    for one in newer:
        if one in come:
            behind[last].append(one)
        elif one in known:
            last = one
    return [*behind[""], *(piece for one in there for piece in (one, *behind[one]))]


def _routes(template: Template, newer: Template, wanted: set[str]) -> Iterator[Route]:
    """Routes as ticked; those of new strips come with them."""
    there = {route.id: route for route in template.routes}
    new = {route.id: route for route in newer.routes}
    chosen = {key.removeprefix("route/") for key in wanted if key.startswith("route/")}
    come = {key.removeprefix("new/") for key in wanted if key.startswith("new/")}
    for name, route in there.items():
        now = new.get(name) if name in chosen else route
        if now is not None:
            yield now
    for route in newer.routes:
        if route.id not in there and (route.id in chosen or {route.from_strip, route.to} & come):
            yield route
