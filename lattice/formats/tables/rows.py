"""Lines of a table, and what was understood of them."""

from __future__ import annotations

from dataclasses import dataclass, field

from lattice.model.document import Template


@dataclass(frozen=True)
class SheetProblem:
    """One cell (or row) that was not understood and is left out."""

    row: int
    column: str
    sentence: str

    def __str__(self) -> str:
        return f"row {self.row}, column {self.column}: {self.sentence}"


@dataclass
class ReadSheet:
    """What was understood of a sheet, and what was not."""

    template: Template
    problems: list[SheetProblem] = field(default_factory=list)
    guessed: dict[str, str] = field(default_factory=dict)  # strip id → kind


@dataclass
class Row:
    """One line of a table: its number, its cells by column, and the id of the strip it becomes."""

    number: int
    cells: dict[str, str]
    id: str = ""
