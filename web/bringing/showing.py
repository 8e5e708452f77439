"""The context of the import page: the result, unclear cells, each step with its choosers, the map."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from lattice.edits.merge import CHANGED, GONE, NEW, ORDER, RENAMED, Difference
from lattice.formats.midi_file import MidiSong
from lattice.formats.tables.encodings import ENCODINGS
from lattice.formats.tables.headers import NOTED
from lattice.formats.tables.name_guesses import by_words
from lattice.formats.tables.tabled import ON_OFF, Tabled
from lattice.formats.tables.tolerant_reader import IS
from lattice.formats.tables.understand import Unclear
from lattice.formats.tables.words import LEAVE, OPEN_WORD
from lattice.model import strip_kinds
from lattice.model.document import Template
from lattice.model.layouts import NAMED
from web.bringing.models import Brought
from web.bringing.reading import Read, choices_of, read
from web.editor.differences import names_of, said
from web.editor.picture import pictured
from web.shelf.workspace import Workspace, workspace

MOST_UNCLEAR = 60
MOST_WORDS = 80
MOST_GUESSED = 60
FEW_GUESSED = 20  # are shown unfolded
MOST_DIFFERENCES = 400
Option = tuple[str, str]  # value, words

FIELDS: tuple[Option, ...] = (
    ("", "left out"), (NOTED, "added to note"), ("name", "name"), ("kind", "kind of strip"), ("layout", "layout"),
    ("section", "section"), ("feed", "destination"), ("input", "input"), ("sends", "sends"), ("keys", "keys"),
    ("midi", "plays (notes)"), ("ties", "ties"), ("inserts", "inserts"), ("io", "physical channels"),
    ("machine", "machine"), ("fader_db", "fader"), ("pan", "pan"), ("mute", "mute"), ("in_service", "enabled"),
    ("invert", "polarity"), ("monitor", "monitoring"), ("armed", "armed"), ("colour", "colour"), ("tags", "tags"),
    ("note", "note"), ("source_peak_dbfs", "source, peak"), ("source_rms_dbfs", "source, RMS"),
    ("latency_samples", "latency"), ("measured_latency_samples", "latency, measured"), ("memory_mb", "memory"),
    ("outlets", "outlets"), ("parts", "parts"), ("midi_in", "notes received"), ("records", "records at"), ("id", "id"),
)  # fmt: skip
SENDS = (("send", "send {}"), ("send level", "level of send {}"), ("send tap", "tap of send {}"))
LABELS = dict(FIELDS)
KINDS: tuple[Option, ...] = (
    *((kind, kind) for kind in strip_kinds.TRAITS),
    (OPEN_WORD, "from its routes"),
    (LEAVE, "not a strip: leave out"),
)
SECTIONS = {
    "column": "from a column", "headings": "from heading rows", "blanks": "between empty rows",
    "prefix": "from the beginning of names", "none": "none",
}  # fmt: skip
GROUPS = {NEW: "New", RENAMED: "Renamed", CHANGED: "Changed", GONE: "Not in the table"}
DELIMITERS = {"\t": "tabs", ";": "semicolons", ",": "commas", "|": "bars", "  ": "wide gaps"}


def shown(brought: Brought) -> dict[str, Any]:
    """Everything on the page."""
    there = workspace(brought.into) if brought.into else None
    found = read(brought, there.template if there else None)
    context: dict[str, Any] = {
        "brought": brought,
        "into": brought.into,
        "read": found,
        "steps": _steps(brought, found),
        "unclear": [_unclear(one, found) for one in found.unclear[:MOST_UNCLEAR]],
        "more_unclear": max(len(found.unclear) - MOST_UNCLEAR, 0),
        "open_count": len(found.open),
        "settled_count": len(found.unclear) - len(found.open),
        "lost_count": len(found.lost),
    }
    if found.song is not None:
        context |= _song(brought, found.song, there)
    context |= _roles(found, brought.choices.get("roles", {}))
    if there is not None and found.template is not None:
        context |= _differences(found, there.template)
    if found.template is not None:
        context |= _outcome(found, found.template, there)
    return context


# the result


def _outcome(found: Read, template: Template, there: Workspace | None) -> dict[str, Any]:
    """Counts, the map, and the findings after the import."""
    kinds = Counter(strip.kind for strip in template.strips)
    return {
        **pictured(template, there),
        "kinds": [(kind, kinds[kind]) for kind in strip_kinds.TRAITS if kinds[kind]],
        "made": found.made,
        "left_out": len(found.table.left_out) if found.table else 0,
    }


def _unclear(one: Unclear, found: Read) -> dict[str, Any]:
    """An open point, its place, and its possible meanings."""
    options: list[Option] = [(value, _answer_words(value, found)) for value in one.options]
    if one.key.startswith("words/"):
        options = [("", "choose …"), *_meanings_of(one.column)]
    rows = [f"{row} {name}".strip() for row, name in zip(one.rows, one.names, strict=True)]
    head = next((c.head for c in found.table.columns if c.field == one.column and c.head), "") if found.table else ""
    return {
        "key": one.key,
        "where": rows[:3],
        "more": max(len(rows) - 3, 0),
        "column": head or LABELS.get(one.column, one.column),
        "sentence": one.sentence,
        "options": options,
        "answer": one.answer,
        "text": one.text,
        "is_answered": one.is_answered,
    }


def _answer_words(value: str, found: Read) -> str:
    if value.startswith(IS):
        name = value.removeprefix(IS)
        strips = found.template.strips if found.template else ()
        meant = next((strip for strip in strips if strip.id == name), None)
        return f"use {f'{meant.name} ({meant.id})' if meant else name}"
    return "leave out" if value == LEAVE else f"add {'an' if value[0] in 'aeiou' else 'a'} {value}"


# kinds from names


def _roles(found: Read, said: dict[str, str]) -> dict[str, Any]:
    """The words that kinds were read from, and the rows that state no kind; the user's changes are `said`."""
    names = dict(found.table.rows) if found.table else {}
    rows = [
        {"number": row, "name": names[row].get("name", ""), "kind": guess.kind or "audio", "because": guess.because}
        for row, guess in found.guessed.items()
    ]
    return {
        "alike": [
            {"term": guess.term, "key": guess.key, "count": count, "kind": guess.usual, "tag": guess.tag}
            for guess, count in by_words(found.guessed.values())
        ],
        "guessed_rows": rows[:MOST_GUESSED],
        "rows_open": len(rows) <= FEW_GUESSED or any(key.isdecimal() for key in said),
        "more_guessed": max(len(rows) - MOST_GUESSED, 0),
        "wires": found.wires,
        "strip_kinds": tuple(strip_kinds.TRAITS),
    }


# the steps


def _steps(brought: Brought, found: Read) -> dict[str, Any]:
    """Every choice, with its alternatives."""
    if found.book is None:
        return {}
    book, choices, table = found.book, choices_of(brought), found.table
    steps: dict[str, Any] = {
        "parts": [part.name for part in book.parts if part.name],
        "part": table.part.name if table else choices.part,
        "encodings": list(ENCODINGS.items()) if book.encoding else (),
        "encoding": book.encoding,
        "delimiters": list(DELIMITERS.items()) if book.delimiter else (),
        "delimiter": book.delimiter,
    }
    if table is None:
        return steps
    first = table.part.lines[: table.head_row + 6]
    return steps | {
        "notes": table.part.notes,
        "head_row": table.head_row,
        "head_rows": [(number, ", ".join(filter(None, cells))[:60]) for number, cells in first[:12]],
        "columns": list(_columns(table)),
        "words": list(_words(table))[:MOST_WORDS],
        "is_by_bus": table.is_by_bus,
        "sections": table.sections,
        "origins": list(SECTIONS.items()),
    }


def _columns(table: Tabled) -> Iterator[dict[str, Any]]:
    slots = list(dict.fromkeys(column.slot for column in table.columns if column.slot)) or ["a"]
    sends = [(f"{field}:{slot}", words.format(slot.upper())) for slot in slots for field, words in SENDS]
    for key, column, examples in zip(table.keys, table.columns, table.examples, strict=True):
        own = [(column.said, f"levels sent to {column.slot}")] if column.field == "send to" else []
        yield {
            "key": key,
            "head": column.head or f"column {key}",
            "examples": examples,
            "said": column.said,
            "options": [*FIELDS, *sends, *own],
        }


def _words(table: Tabled) -> Iterator[dict[str, Any]]:
    """Known words and their meanings; unknown ones are above, with the unclear cells."""
    for meaning in table.meanings:
        is_itself = meaning.becomes is not None and meaning.becomes == meaning.word
        if (meaning.becomes is not None or meaning.is_chosen) and not is_itself:
            yield {
                "key": f"words/{meaning.field}/{meaning.word}",
                "field": LABELS[meaning.field],
                "word": meaning.word,
                "count": meaning.count,
                "becomes": meaning.becomes or "",
                "options": _meanings_of(meaning.field),
                "is_colour": meaning.field == "colour",
            }


def _meanings_of(field: str) -> list[Option]:
    if field == "kind":
        return list(KINDS)
    if field == "layout":
        return [(name, name) for name in NAMED]
    return [("yes", "yes"), ("no", "no")] if field in ON_OFF else []


def _song(brought: Brought, song: MidiSong, there: Workspace | None) -> dict[str, Any]:
    """Tracks of a MIDI file, and the instruments that they may play."""
    strips = there.template.strips if there else ()
    return {
        "song": song,
        "tracks": song.tracks[:MOST_UNCLEAR],
        "more_tracks": max(len(song.tracks) - MOST_UNCLEAR, 0),
        "instruments": [(strip.id, strip.name) for strip in strips if strip.kind == "instrument"],
        "instrument": brought.choices.get("instrument", ""),
    }


# keeping in step


def _differences(found: Read, there: Template) -> dict[str, Any]:
    """Differences by kind, each selectable."""
    after = found.template
    names = (names_of(after) if after else {}) | names_of(there)
    groups: dict[str, list[dict[str, Any]]] = {what: [] for what in GROUPS.values()}
    for one in found.differences[:MOST_DIFFERENCES]:
        groups[GROUPS.get(one.kind, GROUPS[CHANGED])].append(
            {
                "key": one.key,
                "words": _difference_words(one, names),
                "is_ticked": one.key in found.ticked,
                "strip": one.strip,
                "is_renamed": one.kind == RENAMED,
            }
        )
    return {
        "groups": [(what, ones, what == GROUPS[GONE]) for what, ones in groups.items() if ones],
        "difference_count": len(found.differences),
        "ticked_count": len(found.ticked),
        "more_differences": max(len(found.differences) - MOST_DIFFERENCES, 0),
    }


def _difference_words(one: Difference, names: dict[tuple[str, str], str]) -> str:
    if one.kind == ORDER:
        return "order of strips as in the table"
    if one.kind == GONE:
        return f"{names.get(('strip', one.strip), one.strip)} is removed, with its routes"
    if one.kind == NEW:
        strip = one.changes[0].after
        ends = [
            names.get(("strip", c.after["to"]), c.after["to"]) for c in one.changes[1:] if c.after["from"] == one.strip
        ]
        goes = f", to {', '.join(ends)}" if ends else ""
        return f"{strip['name']}, {strip['kind']} {strip.get('layout', 'mono')}{goes}"
    return "; ".join(said(change, names) for change in one.changes)
