"""Edits of inserts: add, change, move, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Fields, Piece, Pieces, Plain, Text, Whole
from lattice.edits.described import edit
from lattice.edits.pieces import (
    all_known,
    changed,
    insert_for,
    insert_ids,
    inserted,
    made,
    position,
    put,
    strip_of,
    with_strip,
)
from lattice.errors import EditError
from lattice.formats.tables.insert_words import insert_of_words
from lattice.formats.track_sheet_cells import entries
from lattice.model.document import Insert, Strip, Template
from lattice.model.names import free_id, slug


@edit(
    Piece("strip"),
    Fields("insert", piece=Insert, said_by="type"),
    Whole("at", default=None),
    says="{strip}: insert {insert}",
)
def add_insert(template: Template, strip: str, insert: dict[str, Any], at: int | None = None) -> Template:
    """A new insert in a strip's chain; its id is made from the strip and its name or type."""
    index, old = strip_of(template, strip)
    wanted = slug(f"{strip} {insert.get('name') or insert.get('type', 'other')}")
    # what nobody has stated is no figure: the total says that it leaves it out
    new = made(Insert, {"id": free_id(wanted, insert_ids(template)), "latency_samples": None, **insert})
    return with_strip(template, index, replace(old, inserts=inserted(old.inserts, at, new)))


@edit(
    Pieces("strips"),
    Text("insert"),
    Choice("at", options=("last", "first"), default="last"),
    says="Add {insert} to {strips}",
)
def add_inserts(template: Template, strips: list[str], insert: str, at: str = "last") -> Template:
    """A new insert in the chains of many strips, in words as a cell has them: “eq low-cut 80; compressor ratio 4”.

    Strips of notes take none.
    """
    wanted, taken = all_known(template.strips, strips, "strip"), insert_ids(template)
    said = list(entries(insert))
    if not said:
        raise EditError("insert: is empty")

    def with_new(strip: Strip) -> Strip:
        if strip.id not in wanted or not strip.traits.carries_sound:
            return strip
        new = tuple(_in_words(entry, strip, taken) for entry in said)
        return replace(strip, inserts=(*new, *strip.inserts) if at == "first" else (*strip.inserts, *new))

    return replace(template, strips=tuple(map(with_new, template.strips)))


def _in_words(entry: str, strip: Strip, taken: set[str]) -> Insert:
    """A new insert of a strip, with an id that is free."""
    try:
        return insert_for(strip, insert_of_words(entry, "new"), taken)
    except ValueError as wrong:
        raise EditError(f"insert: {wrong}") from None


@edit(Piece("insert", kind="insert"), Fields("changes", piece=Insert), says="{insert}: {changes}")
def change_insert(template: Template, insert: str, changes: dict[str, Any]) -> Template:
    """One insert with some fields changed (plain values)."""
    index, at = _place(template, insert)
    strip = template.strips[index]
    return with_strip(
        template, index, replace(strip, inserts=put(strip.inserts, at, changed(strip.inserts[at], changes)))
    )


@edit(
    Piece("insert", kind="insert"),
    Whole("input", low=1, high=64),
    Text("channel", default=""),
    says="{insert}: input {input} to {channel}",
)
def place_input(template: Template, insert: str, input: int, channel: str = "") -> Template:
    """An input of a panner, from 1, on an output channel; an empty channel spreads it over all of them."""
    index, at = _place(template, insert)
    strip = template.strips[index]
    old = strip.inserts[at].positions or ()
    positions = [*old, *((None,) * (input - len(old)))]
    positions[input - 1] = channel or None
    kept = tuple(positions) if any(positions) else None
    return with_strip(
        template, index, replace(strip, inserts=put(strip.inserts, at, replace(strip.inserts[at], positions=kept)))
    )


@edit(Piece("insert", kind="insert"), Whole("to"), says="Move {insert}")
def move_insert(template: Template, insert: str, to: int) -> Template:
    """An insert to another place in its chain, from 0."""
    index, at = _place(template, insert)
    strip = template.strips[index]
    if not 0 <= to < len(strip.inserts):
        raise EditError(f"{strip.inserts[at].name or insert} is already at the end of its chain")
    rest = (*strip.inserts[:at], *strip.inserts[at + 1 :])
    return with_strip(template, index, replace(strip, inserts=inserted(rest, to, strip.inserts[at])))


@edit(Piece("insert", kind="insert"), Choice("where", options=("up", "down")), says="Move {insert}")
def nudge_insert(template: Template, insert: str, where: str) -> Template:
    """An insert one place up or down in its chain."""
    _index, at = _place(template, insert)
    return move_insert(template, insert, at + (-1 if where == "up" else 1))


@edit(Pieces("inserts", kind="insert"), says="Remove {inserts}")
def remove_inserts(template: Template, inserts: list[str]) -> Template:
    """Without some inserts, and without the keys that work them."""
    for insert in inserts:
        _place(template, insert)
    gone = set(inserts)

    def without(strip: Strip) -> Strip:
        kept = tuple(insert for insert in strip.inserts if insert.id not in gone)
        return strip if len(kept) == len(strip.inserts) else replace(strip, inserts=kept)

    return replace(
        template,
        strips=tuple(without(strip) for strip in template.strips),
        routes=tuple(route for route in template.routes if route.to_insert not in gone),
    )


@edit(
    Pieces("strips"),
    Choice("state", options=("on", "bypassed", "unloaded")),
    Text("type", "only of type", default=""),
    says="Inserts of {strips} {state}",
)
def set_inserts(template: Template, strips: list[str], state: str, type: str = "") -> Template:
    """All inserts of some strips (of one type, where one is named) on, bypassed or unloaded."""
    wanted = all_known(template.strips, strips, "strip")

    def after(strip: Strip) -> Strip:
        inserts = tuple(changed(one, {"state": state}) if type in ("", one.type) else one for one in strip.inserts)
        return replace(strip, inserts=inserts) if inserts != strip.inserts else strip

    new = tuple(after(strip) if strip.id in wanted else strip for strip in template.strips)
    if new == template.strips:
        raise EditError("no insert of these strips changes")
    return replace(template, strips=new)


def _place(template: Template, insert: str) -> tuple[int, int]:
    for index, strip in enumerate(template.strips):
        if any(known.id == insert for known in strip.inserts):
            return index, position(strip.inserts, insert, "insert")
    raise EditError(f"insert {insert} does not exist")


def _latencies_words(_template: Template, arguments: dict[str, Any]) -> str:
    many = len(arguments["latencies"])
    return f"Listed latencies of {many} insert{'' if many == 1 else 's'}"


@edit(Plain("latencies"), says=_latencies_words)
def take_latencies(template: Template, latencies: list[dict[str, Any]]) -> Template:
    """Inserts with latencies from a list: `insert` and `latency_samples` of each. Raises EditError for none such."""
    wanted = {str(one.get("insert")): one.get("latency_samples") for one in latencies}
    missing = sorted(wanted.keys() - insert_ids(template))
    if missing or not wanted:
        raise EditError(
            *(f"insert {one} does not exist" for one in missing), *([] if wanted else ["no latency listed"])
        )
    strips = []
    for strip in template.strips:
        inserts = tuple(
            changed(insert, {"latency_samples": wanted[insert.id]}) if insert.id in wanted else insert
            for insert in strip.inserts
        )
        strips.append(replace(strip, inserts=inserts) if inserts != strip.inserts else strip)
    return replace(template, strips=tuple(strips))
