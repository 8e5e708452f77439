"""Edits of the settings of a template: start of the timeline, markers, free text for file tags."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Lines
from lattice.edits.described import edit
from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.model.document import Marker, Template, TempoEvent, Timeline

MARKER = re.compile(r"(?:bar\s*)?(?P<bar>[-−]?\d{1,6})[\s:.,]\s*(?P<name>\S.*)", re.I)
MOST_TAGS = 64


@edit(Fields("changes", piece=Timeline), says="Timeline: {changes}")
def change_timeline(template: Template, changes: dict[str, Any]) -> Template:
    """The start of the timeline (timecode, first bar) and the distance of the sync pop before it."""
    return replace(template, timeline=made(Timeline, {**to_plain(template.timeline), **changes}))


@edit(Lines("markers"), says="{markers} markers")
def set_markers(template: Template, markers: list[str]) -> Template:
    """Markers from lines like “9 Verse”, in the order of their bars. Raises EditError naming a line that is none."""
    found = []
    for number, line in enumerate(markers, start=1):
        match = MARKER.fullmatch(line.strip())
        if match is None:
            raise EditError(f"line {number}: “{line}” is not a bar and a name, like 9 Verse")
        found.append(made(Marker, {"name": match["name"].strip(), "bar": int(match["bar"].replace("−", "-"))}))
    ordered = tuple(sorted(found, key=lambda marker: marker.bar))
    return replace(template, timeline=replace(template.timeline, markers=ordered))


@edit(Lines("lines"), says="{lines} file tags")
def set_info(template: Template, lines: list[str]) -> Template:
    """Free text for file tags from lines like “artist: A. Tern”. Raises EditError naming a line that is none."""
    info: dict[str, str] = {}
    for number, line in enumerate(lines, start=1):
        name, colon, text = (piece.strip() for piece in line.partition(":"))
        if not colon or not name:
            raise EditError(f"line {number}: “{line}” is not a name and its text, like artist: A. Tern")
        if name in info:
            raise EditError(f"line {number}: {name} appears twice")
        info[name] = text
    if len(info) > MOST_TAGS:
        raise EditError(f"{len(info)} tags; at most {MOST_TAGS} are allowed")
    return replace(template, info=info)


TEMPO = re.compile(r"(?:bar\s*)?(?P<bar>[-−]?\d{1,6})[\s:;,]\s*(?P<bpm>\d+(?:[.,]\d+)?)\s*(?:bpm)?", re.I)


@edit(Lines("events"), says="Tempo map of {events} events")
def set_tempo_map(template: Template, events: list[str]) -> Template:
    """The tempo map from lines like “1 96” or “bar 33: 104.5 BPM”; without a line, the tempo of the template holds.

    Raises EditError naming a line that is none, or whose bar is not behind the one before.
    """
    found: list[TempoEvent] = []
    for number, line in enumerate(events, start=1):
        match = TEMPO.fullmatch(line.strip())
        if match is None:
            raise EditError(f"line {number}: “{line}” is not a bar and a tempo, like 33 104.5")
        bar = int(match["bar"].replace("−", "-"))
        if found and bar <= found[-1].bar:
            raise EditError(f"line {number}: bar {bar} is not behind bar {found[-1].bar}; bars rise")
        found.append(made(TempoEvent, {"bar": bar, "bpm": float(match["bpm"].replace(",", "."))}))
    return replace(template, timeline=replace(template.timeline, tempo=tuple(found)))
