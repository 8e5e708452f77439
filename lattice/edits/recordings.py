"""Edits from recordings that were measured: their levels as those of strips, or strips of their own for them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Piece, Plain
from lattice.edits.described import edit
from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.model.document import MAX_STRIPS, Route, Source, Strip, Template
from lattice.model.names import free_id, free_route_ids, slug


def strips_called(template: Template, names: Iterable[str]) -> dict[str, str]:
    """Names of recordings → the strip that is called so, of those that play something; others are left out.

    Case, spaces and signs are ignored: “lead_vox” is Lead vox. Of strips with the same name the first is meant.
    """
    playing = [strip for strip in template.strips if strip.traits.plays]
    known = {slug(strip.name): strip.id for strip in reversed(playing)} | {strip.id: strip.id for strip in playing}
    return {name: known[slug(name)] for name in names if slug(name) in known}


def _levels_words(_template: Template, arguments: dict[str, Any]) -> str:
    many = len(arguments["levels"])
    return f"Measured levels of {many} strip{'' if many == 1 else 's'}"


@edit(Plain("levels"), says=_levels_words)
def take_levels(template: Template, levels: list[dict[str, Any]]) -> Template:
    """Strips at the levels that were measured.

    Parameters
    ----------
    template
        The template.
    levels
        `strip`, `peak_dbfs` (the true peak) and `rms_dbfs` of each.

    Raises
    ------
    EditError
        Where there is no such strip, or it plays nothing.
    """
    wanted = {str(one.get("strip")): _source(one) for one in levels}
    playing = {strip.id for strip in template.strips if strip.traits.plays}
    missing = [f"source {strip} does not exist" for strip in wanted if strip not in playing]
    if missing or not wanted:
        raise EditError(*missing, *([] if wanted else ["no level measured"]))
    strips = tuple(replace(s, source=wanted[s.id]) if s.id in wanted else s for s in template.strips)
    return replace(template, strips=strips)


def _source(one: dict[str, Any]) -> Source:
    """The source with measured levels. Raises EditError if the strip is not a source."""
    levels = {name: one.get(name) for name in ("peak_dbfs", "rms_dbfs")}
    wrong = [f"{name}: {said!r} is not a level" for name, said in levels.items() if not isinstance(said, int | float)]
    if wrong:
        raise EditError(*wrong)
    return made(Source, levels)


def _added_words(_template: Template, arguments: dict[str, Any]) -> str:
    many = len(arguments["recordings"])
    return f"Add {many} strip{'' if many == 1 else 's'} for recordings"


@edit(Plain("recordings"), Piece("section", kind="section", default=None, may_be_none=True), says=_added_words)
def add_recordings(template: Template, recordings: list[dict[str, Any]], section: str | None = None) -> Template:
    """An audio strip for each recording, fed to the bus of its section where it has one.

    Parameters
    ----------
    template
        The template.
    recordings
        `name`, `layout` and, where it sounds, `peak_dbfs` and `rms_dbfs` of each.
    section
        Where they go; None: into none.
    """
    if not recordings or len(template.strips) + len(recordings) > MAX_STRIPS:
        raise EditError(f"{len(recordings)} recordings; at least one, and at most {MAX_STRIPS} strips are allowed")
    taken = {strip.id for strip in template.strips}
    strips = []
    for one in recordings:
        fields = {"id": free_id(slug(str(one.get("name", ""))), taken), "kind": "audio", "section": section}
        fields |= {name: one[name] for name in ("name", "layout") if name in one}
        taken.add(str(fields["id"]))
        strip = made(Strip, fields)
        strips.append(replace(strip, source=_source(one)) if "peak_dbfs" in one else strip)
    bus = next((one.bus for one in template.sections if one.id == section), None)
    ids = free_route_ids(template)
    feeds = [Route(id=next(ids), kind="feed", from_strip=strip.id, to=bus) for strip in strips if bus]
    at = max(
        (n + 1 for n, strip in enumerate(template.strips) if strip.section == section), default=len(template.strips)
    )
    placed = (*template.strips[:at], *strips, *template.strips[at:])
    return replace(template, strips=placed, routes=(*template.routes, *feeds))
