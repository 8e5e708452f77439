"""Any table to a template: a track sheet by its own heads, others by detected or chosen columns."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace

from lattice.errors import DocumentError, first_problems
from lattice.formats import document_json, table, track_sheet
from lattice.formats.gate import validated
from lattice.formats.tables.books import delimiter_of, read_book
from lattice.formats.tables.choices import Choices
from lattice.formats.tables.headers import column_of
from lattice.formats.tables.sheet_update import SheetUpdate, newer
from lattice.formats.tables.sheets import Workbook
from lattice.formats.tables.tabled import Tabled, tabled
from lattice.formats.tables.tolerant_reader import SECTION_BUS, ReadRows, read_rows
from lattice.formats.tables.understand import MADE, Unclear, Understood, understand
from lattice.formats.tables.workbooks import COMPOUND, STRIPS, ZIP
from lattice.formats.track_sheet import is_own
from lattice.model.dangling import without_strips
from lattice.model.document import Template


def load(
    data: bytes, name: str, choices: Choices | None = None, report: Callable[[str], object] = lambda _sentence: None
) -> Template:
    """The template of a table that is understood as a whole.

    Parameters
    ----------
    data
        A workbook or text (`tables.books.read_book`).
    name
        Name of the template, as a table has none.
    choices
        The meaning of its columns and words; None: by its heads if it is a track sheet with kinds, else detected.
    report
        Receives the unused cells, and the strips created for unknown destinations.

    Raises
    ------
    DocumentError
        With every cell that was not understood.
    """
    if choices is None and is_list(data):
        return read_list(data, name).template
    if choices is None and is_exact(data):
        return track_sheet.load(data, name)
    if choices is None and (own := own_workbook(read_book(data))) is not None:
        return own
    understood = read_any(data, name, choices or Choices())
    if understood.lost:
        raise DocumentError(first_problems(message(understood.lost, understood)))
    if understood.tabled.unused:
        report(f"columns not used: {', '.join(understood.tabled.unused)}")
    for sentence in message(understood.open, understood):
        report(sentence)
    return understood.template


def newer_of(template: Template, data: bytes, choices: Choices | None = None) -> tuple[SheetUpdate, Tabled | None]:
    """A template updated from a newer table, and the table if its heads are not ours.

    Parameters
    ----------
    template
        The template.
    data
        The table.
    choices
        As for `load`.

    Raises
    ------
    DocumentError
        Where nothing of the table is understood.
    """
    if choices is None and is_track_sheet(data):
        rows, problems = track_sheet.cells_in(data)
        found = newer(template, rows, None, Choices())
        return replace(found, problems=(*problems, *found.problems)), None
    choices = choices or Choices()
    names = {strip.name.casefold() for strip in template.strips}
    sections = {section.name.casefold() for section in template.sections}
    taken = tabled(read_book(data, choices.encoding, choices.delimiter), choices, names, sections)
    return newer(template, taken.rows, taken, choices), taken


def own_workbook(book: Workbook) -> Template | None:
    """The template of a workbook that was exported here, with the changes in its strips; None for another.

    Raises DocumentError with every cell of its strips that is not understood.
    """
    strips = next((part for part in book.parts if part.name == STRIPS), None)
    if not book.document or strips is None:
        return None
    rows, problems = track_sheet.cells_of(strips.lines)
    base = document_json.load(book.document)
    found = newer(base, rows, None, Choices())
    problems += found.problems
    if problems:
        raise DocumentError(first_problems(map(str, problems)))
    return validated(base, without_strips(found.template, found.gone)) if found.gone else found.template


def is_list(data: bytes) -> bool:
    """Return whether it is text in one column without a head: a name a line."""
    text = _text_of(data)
    if text is None:
        return False
    first = _first_line(text)
    return bool(first) and _is_one_column(text) and column_of(first).field != "name" and not is_own([first])


def read_list(data: bytes, name: str) -> ReadRows:
    """The strips of a plain list, their kinds and tags read from their names. Raises DocumentError."""
    return read_rows(Template(name=name[:120] or "List"), table.decode(data), {"feed": SECTION_BUS})


def is_track_sheet(data: bytes) -> bool:
    """Return whether it is text in one column, or begins with a track sheet's own heads."""
    text = _text_of(data)
    if text is None:
        return False
    first = _first_line(text)
    if delimiter_of(text) not in text:
        return _is_one_column(text) and (column_of(first).field != "name" or is_own([first]))
    return is_own(next(csv.reader([first], delimiter=table.delimiter_of(first)), []))


def is_exact(data: bytes) -> bool:
    """Return whether it is a track sheet that states the kind of every strip; in others names and routes tell it."""
    if not is_track_sheet(data):
        return False
    rows, problems = track_sheet.cells_in(data)  # problems: of the heads, which only a track sheet has
    return bool(problems) or all(cells.get("kind") for _number, cells in rows if any(cells.values()))


def _text_of(data: bytes) -> str | None:
    """The text of a table; None for a workbook or undecodable bytes."""
    if data.startswith((ZIP, COMPOUND)):
        return None
    try:
        return table.decode(data)
    except DocumentError:
        return None


def _first_line(text: str) -> str:
    return next((line for line in text.splitlines() if line.strip()), "")


def _is_one_column(text: str) -> bool:
    return delimiter_of(text) not in text and not any(sign in text for sign in table.DELIMITERS)


def read_any(data: bytes, name: str, choices: Choices) -> Understood:
    """The template of a table, whatever its heads. Raises DocumentError if no row is understood."""
    book = read_book(data, choices.encoding, choices.delimiter)
    return understand(tabled(book, choices), choices, Template(name=name[:120] or "Track sheet"))


def message(unclear: Iterable[Unclear], understood: Understood) -> Iterator[str]:
    """The unclear cells of a table, by row and column, as sentences."""
    taken = understood.tabled
    heads = {column.field: column.head or key for key, column in zip(taken.keys, taken.columns, strict=True)}
    for one in unclear:
        more = f" and {len(one.rows) - 1} more" if len(one.rows) > 1 else ""
        held = f"; read as a {one.answer}" if one.answer in MADE else ""
        yield f"row {one.rows[0]}{more}, column {heads.get(one.column, one.column)}: {one.sentence}{held}"
