"""A reader of rows that takes missing kinds, tags, sections and physical channels from their names."""

from __future__ import annotations

from collections.abc import Mapping

from lattice.formats.tables import words
from lattice.formats.tables.name_guesses import Guess, Named, guesses, meant
from lattice.formats.tables.reader import Reader
from lattice.formats.tables.rows import Row
from lattice.formats.track_sheet_cells import entries
from lattice.model.document import Template
from lattice.model.name_words import AUX, role_of


class GuessingReader(Reader):
    """Rows that state no kind get the kind that their names tell together."""

    def __init__(self, base: Template, usual: Mapping[str, str], roles: Mapping[str, str]) -> None:
        super().__init__(base)
        self.usual = {column: cell for column, cell in usual.items() if not words.is_nothing(cell)}
        self.roles = roles  # row number, or words of a name → kind, in place of guesses
        self.aux: set[str] = set()  # rows that are auxiliaries by a word
        self.guessed_rows: set[str] = set()  # rows that state no kind
        self.guesses: dict[str, Guess] = {}  # row → what its name tells
        outputs = (strip for strip in base.strips if strip.kind == "output")
        self._used = {channel for strip in outputs for channel in strip.io or ()}  # physical outputs

    def _guess_by_names(self, sent_to: set[str]) -> None:
        """Kinds, tags, sections and channels that the names of all rows tell together; `sent_to`: folded names."""
        open_rows = [row for row in self.rows if not self._has_kind(row)]
        aux = (row.id for row in open_rows if _is_aux(row) or role_of(row.cells["name"]).kind == AUX)
        self.aux |= set(aux)
        named = [self._named(row, sent_to) for row in open_rows]
        kinds = {strip.kind for strip in self.base.strips} | {self._said_kind(row) for row in self.rows}
        sections = {section.name.casefold() for section in self.base.sections if section.bus is None}
        with_bus = {section.name.casefold() for section in self.base.sections if section.bus is not None}
        named_sections = {row.cells["section"].casefold() for row in self.rows if row.cells.get("section")}
        sections = (sections | named_sections) - with_bus
        found = guesses(named, has_master="master" in kinds, sections=sections, instrument="instrument" in kinds)
        self.guesses = meant(named, found, self.roles)
        self.guessed_rows = {row.id for row in open_rows}
        for row in open_rows:
            self._take_guess(row)

    def _named(self, row: Row, sent_to: set[str]) -> Named:
        types = {words.insert_type_of(entry) for entry in entries(row.cells.get("inserts", ""))}
        return Named(
            row.id,
            row.number,
            row.cells["name"],
            (row.cells.get("section") or self.usual.get("section", "")).casefold(),
            is_aux=_is_aux(row),
            types=frozenset(types),
            is_sent_to=row.cells["name"].casefold() in sent_to,
        )

    def _has_kind(self, row: Row) -> bool:
        """A cell of the row, or a usual value, states a kind."""
        return bool(self._said_kind(row))

    def _said_kind(self, row: Row) -> str:
        return words.kind_of(row.cells.get("kind") or self.usual.get("kind", "")) or ""

    def _take_guess(self, row: Row) -> None:
        guess = self.guesses.get(row.id)
        if guess is None:
            return
        if guess.kind:
            row.cells["kind"] = guess.kind
        if guess.tag:
            row.cells["tags"] = "; ".join(filter(None, (row.cells.get("tags", ""), guess.tag)))
        if guess.section and not row.cells.get("section"):
            row.cells["section"] = guess.section
        if guess.kind == "output" and not row.cells.get("io"):
            self._next_pair(row)

    def _next_pair(self, row: Row) -> None:
        """The physical channels in the name of an output, else the next free pair of the main machine."""
        physical = words.physical_of(row.cells["name"])
        if physical is not None:
            pair: tuple[int, ...] | None = physical.channels
        else:
            pair = next(
                ((n, n + 1) for n in range(1, self.base.machines[0].outputs, 2) if not self._used & {n, n + 1}), None
            )
        if pair is not None and not self._used & set(pair):
            row.cells["io"] = f"{pair[0]}-{pair[-1]}"
            self._used |= set(pair)


def _is_aux(row: Row) -> bool:
    """Return whether a word in the row's column of kinds says auxiliary."""
    text = row.cells.get("kind", "")
    return bool(text) and words.kind_of(text) == words.OPEN
