"""The reading of an imported file. It never raises for bad input: problems are part of the result."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any

import msgspec

from lattice.edits import apply
from lattice.edits.merge import Difference, differences, merged
from lattice.edits.wiring import wired_where_possible
from lattice.errors import DocumentError, first_problems
from lattice.formats import any_table, document_json, midi_file, track_sheet
from lattice.formats.midi_file import MidiSong
from lattice.formats.registry import looks_like_document
from lattice.formats.tables.books import read_book
from lattice.formats.tables.choices import Choices
from lattice.formats.tables.name_guesses import Guess
from lattice.formats.tables.sheet_update import newer
from lattice.formats.tables.sheets import Workbook
from lattice.formats.tables.tabled import Tabled, tabled
from lattice.formats.tables.understand import Unclear, Understood, unclear_of, understand
from lattice.model.document import Marker, Template, TempoEvent, Timeline
from web.bringing.models import Brought

NOT_AGAIN = "The server stopped while reading this file. Check the file, then import it again."
MOST_KEPT = 8  # the files parsed last, so that the next request reuses them


@dataclass(frozen=True)
class Read:
    """The reading of a file.

    `template` is the result, `table` the table it comes from (None: a document), `problems` the reasons for a missing
    result. `guessed` has the guesses for rows without a kind. `wires`: names without routes are wired up (None: routes
    are stated). For an update of a template, `differences` are its changes, `ticked` the keys of the selected ones.
    """

    template: Template | None
    problems: Sequence[str] = ()
    book: Workbook | None = None
    table: Tabled | None = None
    unclear: tuple[Unclear, ...] = ()
    made: tuple[str, ...] = ()
    guessed: Mapping[int, Guess] = field(default_factory=dict)
    wires: bool | None = None
    song: MidiSong | None = None
    differences: Sequence[Difference] = ()
    ticked: frozenset[str] = frozenset()

    @property
    def open(self) -> list[Unclear]:
        """Open points without an answer."""
        return [one for one in self.unclear if not one.is_answered]

    @property
    def lost(self) -> list[Unclear]:
        """Cells that are left out without an answer."""
        return [one for one in self.open if not one.answer]


def choices_of(brought: Brought) -> Choices:
    return msgspec.convert(brought.choices, Choices)


def read(brought: Brought, into: Template | None = None) -> Read:
    """The reading of a file with the user's choices, as a new template or for an existing one."""
    key = brought.pk, brought.name, json.dumps(brought.choices, sort_keys=True), tuple(brought.turned)
    with _lock:
        known = _reads.get(key)
    if known is None or known[0] is not into:
        if brought.ended_a_server:
            return Read(None, (NOT_AGAIN,))
        with brought.being_read():
            known = into, _read(brought, into)
        _keep(_reads, key, known)
    return known[1]


def _read(brought: Brought, into: Template | None) -> Read:
    data = bytes(brought.content)
    try:
        if data.startswith(midi_file.BEGINS):
            return _read_song(brought, midi_file.read_midi(data), into)
        if looks_like_document(data):
            made = document_json.load(data)
            return Read(made) if into is None else _compared(brought, into, made, Read(made))
        return _read_table(brought, data, into)
    except DocumentError as error:
        return Read(None, first_problems(error.problems))


def _read_song(brought: Brought, song: MidiSong, into: Template | None) -> Read:
    """Tracks of notes, played into the instrument that is chosen, or into one that is made for them."""
    markers = tuple(Marker(name=name, bar=bar) for bar, name in song.markers)
    tempo = tuple(TempoEvent(bar=bar, bpm=bpm) for bar, bpm in song.tempos)
    timeline = Timeline(markers=markers, tempo=tempo)
    empty = Template(name=brought.name, tempo_bpm=song.tempo_bpm, timeline=timeline)
    arguments = {
        "tracks": [{"name": one.name, "port": one.port, "channel": one.channel} for one in song.tracks],
        "instrument": brought.choices.get("instrument") or None,
        "name": song.name or brought.name,
    }
    made = apply(into or empty, "add_midi_tracks", arguments)
    return Read(made, song=song) if into is None else _compared(brought, into, made, Read(made, song=song))


def _read_table(brought: Brought, data: bytes, into: Template | None) -> Read:
    choices = choices_of(brought)
    book = _book(brought.pk, data, choices)
    try:
        if into is None:
            table = tabled(book, choices)
            exact = None if brought.choices else any_table.own_workbook(book) or _track_sheet(brought, data)
            if exact is not None:
                return Read(exact, (), book, table)
            understood = understand(table, choices, Template(name=brought.name))
            return _new(understood, book)
        return _read_newer(brought, into, book, choices)
    except DocumentError as error:
        return Read(None, first_problems(error.problems), book)


def _new(understood: Understood, book: Workbook) -> Read:
    """The template of a table; names without routes are wired up unless the user chooses otherwise."""
    template = understood.template
    wires = None if understood.states_routes or not template.strips else understood.asked.wire is not False
    if wires:
        template = wired_where_possible(template, [strip.id for strip in template.strips])
        wires = None if template is understood.template else True  # None: nothing of it can be
    return Read(template, (), book, understood.tabled, understood.unclear, understood.made, understood.guessed, wires)


def _track_sheet(brought: Brought, data: bytes) -> Template | None:
    """A sheet with our own heads and all kinds stated, as long as all of it is understood."""
    if not any_table.is_exact(data):
        return None
    sheet = track_sheet.read_sheet(data, brought.name)
    return None if sheet.problems else sheet.template


def _read_newer(brought: Brought, into: Template, book: Workbook, choices: Choices) -> Read:
    """A newer table; with our own heads its empty cells remove values, unless the user chooses otherwise."""
    data = bytes(brought.content)
    if not brought.choices and (own := any_table.own_workbook(book)) is not None:
        shown = Read(own, (), book, tabled(book, choices))
        return _compared(brought, into, own, shown)
    if not brought.choices and any_table.is_track_sheet(data):
        found, table = any_table.newer_of(into, data)
    else:
        names = {strip.name.casefold() for strip in into.strips}
        table = tabled(book, choices, names, {section.name.casefold() for section in into.sections})
        found = newer(into, table.rows, table, choices)
    unclear = () if table is None else unclear_of(table, found.reader, choices, found.problems, found.template)
    problems = () if table is not None else tuple(map(str, found.problems))
    shown = Read(found.template, problems, book, table, unclear)
    return _compared(brought, into, found.template, shown, found.gone, found.renamed)


def _compared(
    brought: Brought,
    into: Template,
    made: Template,
    shown: Read,
    gone: Sequence[str] = (),
    renamed: frozenset[str] = frozenset(),
) -> Read:
    """Differences with their selection, and the template with the selected ones."""
    found = differences(into, made, gone, renamed)
    turned = set(brought.turned)
    ticked = frozenset(one.key for one in found if one.is_usual != (one.key in turned))
    template = merged(into, made, ticked, gone) if ticked else into
    return replace(shown, template=template, differences=found, ticked=ticked)


_books: OrderedDict[Any, Workbook] = OrderedDict()
_reads: OrderedDict[Any, tuple[Template | None, Read]] = OrderedDict()  # with the template they were compared with
_lock = Lock()


def _keep(known: OrderedDict[Any, Any], key: Any, value: Any) -> None:
    with _lock:
        known[key] = value
        while len(known) > MOST_KEPT:
            known.popitem(last=False)


def _book(pk: int, data: bytes, choices: Choices) -> Workbook:
    key = pk, choices.encoding, choices.delimiter
    with _lock:
        known = _books.get(key)
    if known is None:
        known = read_book(data, choices.encoding, choices.delimiter)
        _keep(_books, key, known)
    return known


def forget_books() -> None:
    """For tests, where databases and so ids come again."""
    with _lock:
        _books.clear()
        _reads.clear()
