"""Edits of strips: add, change, move, remove."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Fields, Level, Piece, Pieces, Text, Whole, name_of
from lattice.edits.described import edit
from lattice.edits.fields import words_of
from lattice.edits.pieces import all_known, changed, inserted, made, position, put, strip_of, with_strip
from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.model.dangling import without_strips
from lattice.model.document import USUAL_SOURCE, Outlet, Source, Strip, Template, main_outlet, source_of
from lattice.model.names import free_id, slug
from lattice.model.units import words_db


@edit(Fields("strip", piece=Strip), Whole("at", default=None), says="Add {strip}")
def add_strip(template: Template, strip: dict[str, Any], at: int | None = None) -> Template:
    """A new strip from plain fields; its id is made from its name where none is given."""
    taken = {known.id for known in template.strips}
    fields = {"id": free_id(slug(str(strip.get("name", ""))), taken), **strip}
    return replace(template, strips=inserted(template.strips, at, made(Strip, fields)))


@edit(Piece("strip"), Fields("changes", piece=Strip), says="{strip}: {changes}")
def change_strip(template: Template, strip: str, changes: dict[str, Any]) -> Template:
    """One strip with some fields changed (plain values)."""
    index, old = strip_of(template, strip)
    return with_strip(template, index, changed(old, changes))


@edit(Pieces("strips"), Fields("changes", piece=Strip), says="{strips}: {changes}")
def change_strips(template: Template, strips: list[str], changes: dict[str, Any]) -> Template:
    """Many strips with the same fields changed."""
    wanted = all_known(template.strips, strips, "strip")
    new = tuple(changed(strip, changes) if strip.id in wanted else strip for strip in template.strips)
    return replace(template, strips=new)


@edit(
    Pieces("strips"),
    Piece("section", kind="section", may_be_none=True),
    Piece("before", default=None),
    says="Move {strips}",
)
def move_strips(template: Template, strips: list[str], section: str | None, before: str | None = None) -> Template:
    """Strips into a section, in front of strip `before` (None: behind the last strip of the section)."""
    wanted = all_known(template.strips, strips, "strip")
    if before in wanted:
        raise EditError("strips cannot be moved before one of themselves")
    moved = [replace(strip, section=section) for strip in template.strips if strip.id in wanted]
    rest = [strip for strip in template.strips if strip.id not in wanted]
    if before is not None:
        at = next((index for index, strip in enumerate(rest) if strip.id == before), None)
        if at is None:
            raise EditError(f"strip {before} does not exist")
    else:
        at = max((index + 1 for index, strip in enumerate(rest) if strip.section == section), default=len(rest))
    return replace(template, strips=(*rest[:at], *moved, *rest[at:]))


@edit(Piece("strip"), Choice("where", options=("up", "down")), says="Move {strip}")
def nudge_strip(template: Template, strip: str, where: str) -> Template:
    """A strip one place up or down among those of its section."""
    _index, piece = strip_of(template, strip)
    beside = [known.id for known in template.strips if known.section == piece.section]
    target = beside.index(strip) + (-1 if where == "up" else 2)
    if not 0 <= target <= len(beside):
        raise EditError(f"{piece.name} is already at the end of its section")
    return move_strips(template, [strip], piece.section, beside[target] if target < len(beside) else None)


UNCHANGED = ""  # of a level: as it is


def _source_words(template: Template, arguments: dict[str, Any]) -> str:
    said = {name: value for name, value in arguments.items() if name.endswith("_dbfs") and value != UNCHANGED}
    return f"{name_of(template, 'strip', arguments['strip'])}: source {words_of(said)}"


@edit(
    Piece("strip"),
    Text("outlet", default=""),
    Level("peak_dbfs", "peak", default=UNCHANGED, unit="dBFS"),
    Level("rms_dbfs", "RMS", default=UNCHANGED, unit="dBFS"),
    says=_source_words,
)
def change_source(
    template: Template,
    strip: str,
    outlet: str = "",
    peak_dbfs: float | str | None = UNCHANGED,
    rms_dbfs: float | str | None = UNCHANGED,
) -> Template:
    """The levels a strip, or one of its outlets, plays at; off (None) is a source that plays nothing."""
    index, host = strip_of(template, strip)
    playing: Strip | Outlet = host.outlets[position(host.outlets, outlet, "outlet")] if outlet else host
    before = playing.source if isinstance(playing.source, Source) else USUAL_SOURCE
    levels = {"peak_dbfs": peak_dbfs, "rms_dbfs": rms_dbfs}
    given = {name: level for name, level in levels.items() if level != UNCHANGED}
    if not given:
        raise EditError("no change given")
    source = None if None in given.values() else {**to_plain(before), **given}
    return _with_source(template, index, outlet, source)


@edit(
    Pieces("strips"),
    Level("peak_dbfs", "peak", default=UNCHANGED, unit="dBFS"),
    Level("rms_dbfs", "RMS", default=UNCHANGED, unit="dBFS"),
    says="Source levels of {strips}",
)
def change_sources(
    template: Template,
    strips: list[str],
    peak_dbfs: float | str | None = UNCHANGED,
    rms_dbfs: float | str | None = UNCHANGED,
) -> Template:
    """The levels that many strips play at, those of all their outlets included; off (None) plays nothing."""
    wanted = all_known(template.strips, strips, "strip")
    for strip in template.strips:
        if strip.id in wanted and strip.traits.plays:
            for outlet in ("", *(one.id for one in strip.outlets if one is not main_outlet(strip))):
                template = change_source(template, strip.id, outlet, peak_dbfs, rms_dbfs)
    return template


def _moved_words(template: Template, arguments: dict[str, Any]) -> str:
    name = name_of(template, "strip", arguments["strip"])
    return f"Source of {name} at {words_db(arguments['peak_dbfs'])} dBFS"


@edit(Piece("strip"), Level("peak_dbfs", "peak", unit="dBFS"), Text("outlet", default=""), says=_moved_words)
def move_source(template: Template, strip: str, peak_dbfs: float | None, outlet: str = "") -> Template:
    """A source at another peak; its RMS moves with it. `outlet` empty: the strip's own chain, or its main outlet."""
    index, host = strip_of(template, strip)
    main = main_outlet(host)
    piece = host.outlets[position(host.outlets, outlet, "outlet")] if outlet else main
    old = source_of(host, piece)
    if old is None or peak_dbfs is None:
        raise EditError(f"{host.name} is not a source; only sources have a peak in dBFS")
    moved = {"peak_dbfs": peak_dbfs, "rms_dbfs": round(old.rms_dbfs + peak_dbfs - old.peak_dbfs, 6)}
    return _with_source(template, index, piece.id if piece is not None else "", moved)


def _with_source(template: Template, index: int, outlet: str, source: dict[str, Any] | None) -> Template:
    host = template.strips[index]
    if not outlet:
        return with_strip(template, index, changed(host, {"source": source}))
    at = position(host.outlets, outlet, "outlet")
    return with_strip(
        template, index, replace(host, outlets=put(host.outlets, at, changed(host.outlets[at], {"source": source})))
    )


@edit(Pieces("strips"), says="Remove {strips}")
def remove_strips(template: Template, strips: list[str]) -> Template:
    """Without some strips, and without everything that names them: routes, stems, choices, selectors."""
    return without_strips(template, all_known(template.strips, strips, "strip"))
