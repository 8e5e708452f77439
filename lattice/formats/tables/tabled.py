"""A table parsed with a user's choices: its sheet, heads, columns, rows of cells, and the meanings of its words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from lattice.errors import DocumentError
from lattice.formats import table
from lattice.formats.tables import guesses, words
from lattice.formats.tables.choices import Choices, SectionsFrom, keys_of
from lattice.formats.tables.headers import Column, cells_of
from lattice.formats.tables.sheets import Sheet, Workbook, columns_across

Cells = dict[str, str]
ON_OFF = ("mute", "in_service", "invert", "armed")
WORDED = ("kind", "layout", *ON_OFF, "colour")  # fields whose words are shown with what they become
EXAMPLES = 3  # sample cells of a column for the user


@dataclass(frozen=True)
class Meaning:
    """A word of a column, its count, and its meaning; None if unknown."""

    field: str
    word: str
    count: int
    becomes: str | None
    is_chosen: bool


@dataclass(frozen=True)
class Tabled:
    """A table with every choice made, by a person or by a guess."""

    part: Sheet
    head_row: int  # 0: there is none
    keys: tuple[str, ...]  # of its columns, as choices call them
    columns: tuple[Column, ...]
    examples: tuple[tuple[str, ...], ...]  # a few cells of each column
    rows: list[tuple[int, Cells]]
    meanings: tuple[Meaning, ...]
    left_out: tuple[int, ...]  # numbers of rows whose kind is none of a strip
    is_by_bus: bool
    sections: SectionsFrom
    has_headings: bool
    has_prefixes: bool

    @property
    def unused(self) -> list[str]:
        """Heads of columns that are not used."""
        return [column.head for column in self.columns if column.head and not column.field]

    @property
    def heads(self) -> list[str]:
        """The cells of the row of heads; empty texts where there is none."""
        return [column.head for column in self.columns]


def part_of(book: Workbook, choices: Choices) -> Sheet:
    """The part that is chosen, else the one with the most rows below a row of known heads."""
    if choices.part is not None:
        found = next((part for part in book.parts if part.name == choices.part), None)
        if found is not None:
            return found
        raise DocumentError(
            [f"sheet “{choices.part}” does not exist; use one of {', '.join(p.name for p in book.parts)}"]
        )
    return max(book.parts, key=lambda part: (guesses.head_row(part.lines) is not None, len(part.lines)))


def tabled(
    book: Workbook, choices: Choices, names: Collection[str] = (), sections: Collection[str] = ()
) -> Tabled:  # fmt: skip
    """A table taken apart.

    Parameters
    ----------
    book
        The file's tables.
    choices
        The user's choices; the rest is detected.
    names, sections
        Folded names of strips and sections of the target template.

    Raises
    ------
    DocumentError
        If the sheet, the row or a column of names does not exist.
    """
    part = part_of(book, choices)
    head_row = choices.head_row if choices.head_row is not None else guesses.head_row(part.lines) or 0
    heads = next((cells for number, cells in part.lines if number == head_row), [])
    body = [(number, cells) for number, cells in part.lines if number > head_row]
    if not body:
        raise DocumentError(["no rows below the column heads" if head_row else "the table is empty"])
    keys = keys_of([*heads, *[""] * (columns_across(body) - len(heads))])
    guessed = guesses.columns_of(heads, body, names, sections)
    columns = tuple(
        _chosen(column, choices.columns.get(key)) for key, column in zip(keys, guessed, strict=True)
    )  # fmt: skip
    if not any(column.field in ("name", "id") for column in columns):
        raise DocumentError(["Choose the column with the strip names."])
    rows, left_out, meanings = _worded(_rows(body, columns, choices), choices)
    headings = guesses.headings(body, columns)
    codes = guesses.prefixes([cells.get("name", "") for _number, cells in rows])
    origin = choices.sections or _sections_from(columns, headings, codes)
    rows = _in_sections(rows, body, origin, headings, codes)
    inputs = [cells["input"].casefold() for _number, cells in rows if cells.get("input")]
    outputs = [cells["feed"].casefold() for _number, cells in rows if cells.get("feed")]
    own = {cells.get("name", "").casefold() for _number, cells in rows}
    by_bus = choices.routing == "bus" if choices.routing else guesses.is_by_bus(outputs, inputs, own)
    return Tabled(
        part, head_row, tuple(keys), columns, _examples(body, len(columns)), rows, meanings, left_out, by_bus, origin,
        bool(headings), bool(codes),
    )  # fmt: skip


def _chosen(column: Column, said: str | None) -> Column:
    if said is None:
        return column
    field, _colon, slot = said.partition(":")
    return Column(column.head, field, slot)


def _examples(body: Sequence[table.Line], width: int) -> tuple[tuple[str, ...], ...]:
    found: list[list[str]] = [[] for _ in range(width)]
    for _number, cells in body:
        for at, cell in enumerate(cells):
            if cell and len(found[at]) < EXAMPLES and cell not in found[at]:
                found[at].append(cell)
    return tuple(map(tuple, found))


def _rows(body: Sequence[table.Line], columns: Sequence[Column], choices: Choices) -> list[tuple[int, Cells]]:
    """Cells by field, with those that a person put in place of others."""
    rows = [(number, cells_of(columns, line)) for number, line in body]
    instead: dict[int, Cells] = {}
    for place, text in choices.cells.items():
        number, _slash, field = place.partition("/")
        if number.isdecimal():
            instead.setdefault(int(number), {})[field] = text
    return [(number, cells | instead.get(number, {})) for number, cells in rows if any(cells.values())]


# words


def _worded(
    rows: list[tuple[int, Cells]], choices: Choices
) -> tuple[list[tuple[int, Cells]], tuple[int, ...], tuple[Meaning, ...]]:
    """Rows with words replaced by their meaning, numbers of rows that are not strips, and the meanings."""
    meanings: dict[str, dict[str, Meaning]] = {}
    for field in WORDED:
        said = Counter(cells[field].casefold() for _number, cells in rows if cells.get(field))
        chosen = choices.words.get(field, {})
        meanings[field] = {
            word: Meaning(field, word, count, chosen.get(word, becomes(field, word)), word in chosen)
            for word, count in said.items()
        }
    kept, left_out = [], []
    for number, cells in rows:
        new = {field: _meant(meanings, field, cell) for field, cell in cells.items()}
        if new.get("kind") == words.LEAVE:
            left_out.append(number)
        else:
            kept.append((number, new))
    found = [meaning for of_field in meanings.values() for meaning in of_field.values()]
    return kept, tuple(left_out), tuple(found)


def _meant(meanings: Mapping[str, Mapping[str, Meaning]], field: str, cell: str) -> str:
    meaning = meanings.get(field, {}).get(cell.casefold())
    return cell if meaning is None or meaning.becomes is None else meaning.becomes


def becomes(field: str, word: str) -> str | None:
    """The meaning of a word of a column without choices; None if unknown."""
    if field == "kind":
        return words.kind_word(word)
    if field == "layout":
        return words.layout_of(word)
    if field == "colour":
        return words.colour_of(word)
    return words.yes_or_no(word)


# sections


def _sections_from(
    columns: Sequence[Column], headings: Mapping[int, str], codes: Mapping[str, str]
) -> SectionsFrom:  # fmt: skip
    if any(column.field == "section" for column in columns):
        return "column"
    return "headings" if headings else "prefix" if codes else "none"


def _in_sections(
    rows: list[tuple[int, Cells]],
    body: Sequence[table.Line],
    origin: SectionsFrom,
    headings: Mapping[int, str],
    codes: Mapping[str, str],
) -> list[tuple[int, Cells]]:
    """Rows with their section as a cell; headings are not rows."""
    if origin == "headings":
        found, current = [], ""
        for number, cells in rows:
            current = headings.get(number, current)
            if number not in headings:
                found.append((number, cells | {"section": current}))
        return found
    if origin == "prefix":
        return [(number, cells | {"section": codes.get(cells.get("name", ""), "")}) for number, cells in rows]
    if origin == "blanks":
        groups = guesses.blanks(body, {number: cells.get("name", "") for number, cells in rows})
        return [(number, cells | {"section": groups.get(number, "")}) for number, cells in rows]
    if origin == "none":
        return [(number, {**cells, "section": ""}) for number, cells in rows]
    return rows
