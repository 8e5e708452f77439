"""The result of a table: a template, and its unclear cells, row by row, each with possible meanings."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from difflib import get_close_matches

from msgspec.structs import replace

from lattice.formats.tables import words
from lattice.formats.tables.choices import Choices
from lattice.formats.tables.name_guesses import Guess
from lattice.formats.tables.rows import SheetProblem
from lattice.formats.tables.tabled import WORDED, Tabled
from lattice.formats.tables.tolerant_reader import IS, ROUTING, LooseReader
from lattice.model.document import Template

MADE = ("bus", "return", "output", "master")  # what a destination may be made as
MOST_ALIKE = 3
ALIKE = 0.75  # of two names, by difflib's ratio


@dataclass(frozen=True)
class Unclear:
    """One thing that a table leaves open.

    `key` is where an answer goes in the choices: `destinations/NAME`, `words/FIELD/WORD` or `cells/ROW/FIELD`.
    """

    key: str
    column: str
    text: str
    rows: tuple[int, ...]
    names: tuple[str, ...]  # of the strips in those rows
    sentence: str
    options: tuple[str, ...]  # answers to choose from; none: text is typed
    answer: str  # the current meaning; empty: left out
    is_answered: bool


@dataclass(frozen=True)
class Understood:
    """The result of a table."""

    tabled: Tabled
    asked: Choices  # the user's answer
    template: Template
    strips: dict[int, str]  # row → the strip it becomes
    made: tuple[str, ...]  # names of strips made for destinations
    unclear: tuple[Unclear, ...]
    guessed: dict[int, Guess]  # row that states no kind → what its name told
    states_routes: bool  # a cell says where something goes

    @property
    def choices(self) -> Choices:
        """Every choice that was made, by a person or by a guess, so that the same table is read the same again."""
        table = self.tabled
        words: dict[str, dict[str, str]] = {}
        for meaning in table.meanings:
            if meaning.becomes is not None:
                words.setdefault(meaning.field, {})[meaning.word] = meaning.becomes
        return replace(
            self.asked,
            part=table.part.name or None,
            head_row=table.head_row,
            columns={key: column.said for key, column in zip(table.keys, table.columns, strict=True)},
            words=words,
            routing="bus" if table.is_by_bus else "strip",
            sections=table.sections,
        )

    @property
    def open(self) -> tuple[Unclear, ...]:
        """The open points without an answer."""
        return tuple(one for one in self.unclear if not one.is_answered)

    @property
    def lost(self) -> tuple[Unclear, ...]:
        """Cells left out for lack of an answer."""
        return tuple(one for one in self.open if not one.answer)


def understand(table: Tabled, choices: Choices, base: Template) -> Understood:
    """A template with a strip for each row of a table.

    Parameters
    ----------
    table
        The table taken apart (`tabled`).
    choices
        Answers to unclear cells.
    base
        The template of the rows.

    Returns
    -------
    Understood
        The template is always valid: unclear cells are used as their `answer` states.
    """
    reader = LooseReader(base, {}, answers=choices.destinations, roles=choices.roles, by_bus=table.is_by_bus)
    read = reader.read(table.rows)
    strips = {row.number: row.id for row in reader.rows if row.id not in reader.made}
    unclear = unclear_of(table, reader, choices, read.problems, read.template)
    guessed = {n: reader.guesses.get(strip, Guess("")) for n, strip in strips.items() if strip in reader.guessed_rows}
    states_routes = any(cells.get(column) for _number, cells in table.rows for column in ROUTING)
    made = tuple(reader.made.values())
    return Understood(table, choices, read.template, strips, made, unclear, guessed, states_routes)


def unclear_of(
    table: Tabled,
    reader: LooseReader | None,
    choices: Choices,
    problems: Sequence[SheetProblem],
    template: Template,
) -> tuple[Unclear, ...]:
    """Open points of a table: words, destinations (if `reader` has met some), cells."""
    rows = reader.rows if reader is not None else ()
    made = reader.made if reader is not None else {}
    names = {row.number: row.cells["name"] for row in rows if row.id not in made}
    destinations = () if reader is None else _destinations(reader, choices, template)
    return (*_words(table, names), *destinations, *_cells(table, problems, names))


def _words(table: Tabled, names: dict[int, str]) -> Iterator[Unclear]:
    """Unknown words for kinds, layouts and the like."""
    for meaning in table.meanings:
        if meaning.becomes is None:
            rows = tuple(n for n, cells in table.rows if cells.get(meaning.field, "").casefold() == meaning.word)
            yield Unclear(
                f"words/{meaning.field}/{meaning.word}", meaning.field, meaning.word, rows,
                tuple(names.get(row, "") for row in rows), f"“{meaning.word}” is not known", (), "", meaning.is_chosen,
            )  # fmt: skip


def _destinations(reader: LooseReader, choices: Choices, template: Template) -> Iterator[Unclear]:
    """Unknown or ambiguous destinations."""
    kinds = {strip.id: strip.kind for strip in template.strips}
    known = reader.named
    written = {row.cells["name"].casefold(): row.cells["name"] for row in reader.rows if row.id not in reader.made}
    written |= {row.cells["input"].casefold(): row.cells["input"] for row in reader.rows if row.cells.get("input")}
    for folded, places in reader.unknown.items():
        several = [one for one in known.get(folded, ()) if one not in reader.made]
        is_new = not several
        text = places[0][2]
        alike = get_close_matches(folded, [name for name in written if name != folded], MOST_ALIKE, ALIKE)
        others = [f"{IS}{written[name]}" for name in alike if _differ_in_letters(folded, name)]
        options = (*others, *MADE, words.LEAVE) if is_new else (*(f"{IS}{one}" for one in several), words.LEAVE)
        made = next((strip for strip, name in reader.made.items() if name.casefold() == folded), "")
        sentence = f"“{text}” is not a strip" if is_new else f"{len(several)} strips have the name “{text}”"
        answer = choices.destinations.get(folded, kinds.get(made, "") if is_new else f"{IS}{several[0]}")
        rows = {row.number: row.cells["name"] for row, _column, _text in places}
        yield Unclear(
            f"destinations/{folded}", places[0][1], text, tuple(rows), tuple(rows.values()), sentence, options, answer,
            folded in choices.destinations,
        )  # fmt: skip


def _differ_in_letters(one: str, other: str) -> bool:
    """Return whether two names differ in more than their numbers: Vox 1 is not meant by Vox 2."""
    digits = str.maketrans("", "", "0123456789 ")
    return one.translate(digits) != other.translate(digits)


def _cells(table: Tabled, problems: Sequence[SheetProblem], names: dict[int, str]) -> Iterator[Unclear]:
    """Cells that are not understood, except those reported as words."""
    unknown = {(meaning.field, meaning.word) for meaning in table.meanings if meaning.becomes is None}
    cells = dict(table.rows)
    said: dict[tuple[int, str], list[str]] = defaultdict(list)
    for problem in problems:
        text = cells.get(problem.row, {}).get(problem.column, "")
        if not (problem.column in WORDED and (problem.column, text.casefold()) in unknown):
            said[problem.row, problem.column].append(problem.sentence)
    for (row, column), sentences in said.items():
        text = cells.get(row, {}).get(column, "")
        yield Unclear(
            f"cells/{row}/{column}", column, text, (row,), (names.get(row, ""),), "; ".join(dict.fromkeys(sentences)),
            (), "", is_answered=False,
        )  # fmt: skip


def answered(choices: Choices, key: str, answer: str) -> Choices:
    """The choices with an answer to an unclear cell. Raises ValueError for an unknown key."""
    where, _slash, rest = key.partition("/")
    if where == "destinations" and rest:
        return replace(choices, destinations={**choices.destinations, rest: answer})
    if where == "cells" and "/" in rest:
        return replace(choices, cells={**choices.cells, rest: answer})
    field, _slash, word = rest.partition("/")
    if where != "words" or not word:
        raise ValueError(f"{key} is not an open question")
    return replace(choices, words={**choices.words, field: {**choices.words.get(field, {}), word: answer}})
