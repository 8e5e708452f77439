"""Cells of the table of strips, typed or pasted, in one edit."""

from __future__ import annotations

from typing import Any

from lattice.edits.arguments import Rows
from lattice.edits.described import edit
from lattice.errors import EditError
from lattice.formats.tables.cell_update import TypedCell, with_cells
from lattice.formats.tables.strip_cells import EDITABLE
from lattice.model.document import Template

MOST_CELLS = 60_000  # of one edit: 3,000 strips in every column


def _cell_words(template: Template, arguments: dict[str, Any]) -> str:
    """“Kick, Fader: -3” for one cell, else how many cells of how many strips."""
    cells = [_cell(line) for line in arguments["cells"]]
    strips = {cell.strip for cell in cells}
    if len(cells) != 1:
        of = "1 strip" if len(strips) == 1 else f"{len(strips)} strips"
        return f"{len(cells)} cells of {of}"
    [cell] = cells
    name = next((strip.name for strip in template.strips if strip.id == cell.strip), cell.strip)
    label = EDITABLE[cell.column].label.partition(",")[0] if cell.column in EDITABLE else cell.column
    return f"{name}, {label}: {cell.text[:80] or 'none'}"


@edit(Rows("cells"), says=_cell_words)
def set_cells(template: Template, cells: list[str]) -> Template:
    """Cells of the table of strips as text, one a line: id of the strip, column and text with tabs between.

    Empty text takes the value of the cell back: no route, no insert, the usual level.
    """
    if len(cells) > MOST_CELLS:
        raise EditError(f"{len(cells)} cells are too many; at most {MOST_CELLS} at once")
    return with_cells(template, [_cell(line) for line in cells])


def _cell(line: str) -> TypedCell:
    strip, tab, rest = line.partition("\t")
    column, second_tab, text = rest.partition("\t")
    if not (tab and second_tab):
        raise EditError(f"“{line[:80]}” is not a strip, a column and a text with tabs between")
    return TypedCell(strip, column, text)
