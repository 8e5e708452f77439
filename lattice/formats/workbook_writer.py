"""A template as a workbook: a sheet each for strips, routes, sections, stems, rules and findings, to read and to edit.

Values without a column are exported too: the whole document, in a hidden sheet. On import, changes in the strips are
applied to that document.
"""

from __future__ import annotations

import base64
import zlib
from collections.abc import Iterable, Sequence
from io import BytesIO
from typing import Any

import xlsxwriter

from lattice.formats.document_json import dump as document_of
from lattice.formats.tables.reader import COLUMNS
from lattice.formats.tables.workbooks import AS_IT_IS, CARRIED, LONGEST_CELL, STRIPS
from lattice.formats.track_sheet_cells import level_text
from lattice.formats.track_sheet_writer import cells_of_strips
from lattice.model.document import Template

NUMBERS = frozenset(
    {"fader_db", "pan", "source_peak_dbfs", "source_rms_dbfs", "latency_samples", "measured_latency_samples",
     "memory_mb"}
)  # fmt: skip
MOST_DIGITS = 9  # of a number that survives a round trip through a cell
ROUTES = ("id", "kind", "from", "outlet", "tap", "to", "insert", "level_db", "enabled", "ridden", "port", "channel")
SECTIONS = ("id", "name", "colour", "in", "bus", "strips")
STEMS = ("id", "name", "role", "set", "of", "returns", "strip", "tap", "print", "layout")
RULES = ("id", "name", "kind", "sources", "through", "to")
FINDINGS = ("severity", "code", "message", "strips", "evidence")
Row = Sequence[str | float]
WIDEST = 44  # characters of a column


def dump(template: Template, findings: Iterable[Row]) -> bytes:
    """The workbook of a template.

    Parameters
    ----------
    template
        The template.
    findings
        A row for each, by the columns of FINDINGS.

    Returns
    -------
    bytes
        An XLSX file (ECMA-376); every list as in the template, heads frozen, sections in their colours.
    """
    out = BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}) as book:
        sheets = _Sheets(book, {one.name: one.colour for one in template.sections if one.colour})
        sheets.add(STRIPS, COLUMNS, _strips(template), coloured=COLUMNS.index("section"), frozen=2)
        sheets.add("Routes", ROUTES, _routes(template))
        sheets.add("Sections", SECTIONS, _sections(template), coloured=1)
        sheets.add("Stems", STEMS, _stems(template))
        sheets.add("Rules", RULES, _rules(template))
        sheets.add("Findings", FINDINGS, findings)
        _carry(book, template)
    return out.getvalue()


class _Sheets:
    """Writes lists as sheets."""

    def __init__(self, book: Any, colours: dict[str, str]) -> None:
        self.book = book
        self.head = book.add_format({"bold": True, "bottom": 1})
        self.colours = {
            name: book.add_format({"font_color": "#ffffff", "bg_color": colour}) for name, colour in colours.items()
        }

    def add(self, name: str, heads: Sequence[str], rows: Iterable[Row], coloured: int = -1, frozen: int = 1) -> None:
        """A sheet with its heads frozen, and `frozen` columns; the column `coloured` in the colours of sections."""
        sheet = self.book.add_worksheet(name)
        sheet.write_row(0, 0, heads, self.head)
        sheet.freeze_panes(1, frozen)
        widths = [len(head) for head in heads]
        count = 0
        for count, row in enumerate(rows, start=1):
            for at, cell in enumerate(row):
                style = self.colours.get(str(cell)) if at == coloured else None
                _write(sheet, count, at, heads[at], cell, style)
                widths[at] = max(widths[at], min(len(str(cell)), WIDEST))
        for at, width in enumerate(widths):
            sheet.set_column(at, at, width + 1)
        if count:
            sheet.autofilter(0, 0, count, len(heads) - 1)


def _write(sheet: Any, row: int, column: int, head: str, cell: str | float, style: Any) -> None:
    if isinstance(cell, str) and len(cell) > LONGEST_CELL:
        cell = AS_IT_IS
    is_number = not isinstance(cell, str) or (head in NUMBERS and _is_short_number(cell))
    if is_number:
        sheet.write_number(row, column, float(cell), style)
    elif cell:
        sheet.write_string(row, column, cell, style)


def _is_short_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return len(text) <= MOST_DIGITS and "e" not in text and text not in ("inf", "-inf", "nan") and text != "-0"


def _strips(template: Template) -> Iterable[Row]:
    cells = cells_of_strips(template, {strip.id for strip in template.strips})
    return (tuple(row.values()) for row in cells.values())


def _routes(template: Template) -> Iterable[Row]:
    names = {strip.id: strip.name for strip in template.strips}
    inserts = {insert.id: insert.title for strip in template.strips for insert in strip.inserts}
    for route in template.routes:
        yield (
            route.id, route.kind, names[route.from_strip], route.from_outlet or "", route.tap, names[route.to],
            inserts.get(route.to_insert or "", ""), level_text(route.gain_db), "yes" if route.enabled else "no",
            "yes" if route.automated else "no", str(route.port or ""), str(route.channel or ""),
        )  # fmt: skip


def _sections(template: Template) -> Iterable[Row]:
    names = {section.id: section.name for section in template.sections}
    strips = {strip.id: strip.name for strip in template.strips}
    for section in template.sections:
        count = sum(strip.section == section.id for strip in template.strips)
        bus = strips.get(section.bus or "", "")
        yield section.id, section.name, section.colour or "", names.get(section.parent or "", ""), bus, count


def _stems(template: Template) -> Iterable[Row]:
    strips = {strip.id: strip.name for strip in template.strips}
    names = {stem.id: stem.name for stem in template.stems}
    for stem in template.stems:
        parts = "; ".join(names[part] for part in stem.of)
        strip, printed = strips.get(stem.strip or "", ""), strips.get(stem.print or "", "")
        yield (
            stem.id, stem.name, stem.role, stem.set, parts, stem.returns, strip, stem.tap, printed, stem.layout,
        )  # fmt: skip


def _rules(template: Template) -> Iterable[Row]:
    for rule in template.rules:
        yield rule.id, rule.name, rule.kind, *("; ".join(part) for part in (rule.sources, rule.through, rule.to))


def _carry(book: Any, template: Template) -> None:
    """The document itself, deflated, in cells of a sheet that is not shown."""
    sheet = book.add_worksheet(CARRIED)
    sheet.very_hidden()
    packed = base64.b64encode(zlib.compress(document_of(template))).decode()
    sheet.write_string(0, 0, template.format)
    for number, at in enumerate(range(0, len(packed), LONGEST_CELL), start=1):
        sheet.write_string(number, 0, packed[at : at + LONGEST_CELL])
