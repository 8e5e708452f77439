"""Detection for a table: its row of heads, columns by their cells, the origin of sections."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from itertools import pairwise

from lattice.formats import table
from lattice.formats.tables.headers import (
    LEVEL,
    NUMBERING,
    Column,
    column_of,
    is_send_cell,
    is_sends,
    names_send,
)
from lattice.formats.tables.sheets import columns_across
from lattice.formats.tables.words import KIND_OF, is_nothing, layout_of, physical_of
from lattice.formats.track_sheet_cells import entries

SEARCHED = 40  # lines from the top in which the row of heads is looked for
ALIKE = 0.8  # share of a column's filled cells that show its meaning
# Fields that a strip has once: a second column of theirs is ignored.
ONCE = frozenset({"id", "name", "kind", "layout", "section", "machine", "fader_db", "pan", "mute", "colour", "io"})
# A word, or letters in capitals, before a name: “DRM Kick”, “vox_lead”, “FX: door”.
PREFIX = re.compile(r"(?P<code>[^\W\d_]{2,12})(?:\s*[_:|/]\s*|\s+-\s+)(?=\S)|(?P<capitals>[A-Z]{2,6})\s+(?=\S)")


def head_row(lines: Sequence[table.Line]) -> int | None:
    """The number of the row of heads.

    It is the first row whose cells are mostly known words, a name among them or several. Else it is the first that is
    followed by rows of the same width whose cells show a meaning that it does not. None without one.
    """
    for number, cells in lines[:SEARCHED]:
        filled = [cell for cell in cells if cell]
        known = [column_of(cell).field for cell in filled if column_of(cell).field]
        counted = len(known) + sum(cell.casefold() in NUMBERING for cell in filled)
        if len(known) > 1 and counted * 2 >= len(filled) and len(set(known)) * 2 > len(known):
            return number
        if known == ["name"] and len(filled) == 1 and columns_across(lines) == 1:
            return number
    return _head_by_width(lines)


def _head_by_width(lines: Sequence[table.Line]) -> int | None:
    width = columns_across(lines)
    if width < 2:
        return None
    first = next((at for at, (_number, cells) in enumerate(lines) if _filled(cells) >= max(2, width - 1)), None)
    if first is None or first + 3 > len(lines) or first >= SEARCHED:
        return None
    body = lines[first + 1 :]
    for at, head in enumerate(lines[first][1]):
        told = told_by(_column_cells(body, at), (), ())
        if told and head and not told_by([head.casefold()], (), ()):
            return lines[first][0]
    return None


def _filled(cells: Sequence[str]) -> int:
    return sum(map(bool, cells))


def _column_cells(body: Sequence[table.Line], at: int) -> list[str]:
    return [line[at].casefold() for _number, line in body if at < len(line) and line[at]]


def columns_of(
    heads: Sequence[str], body: Sequence[table.Line], names: Collection[str], sections: Collection[str]
) -> tuple[Column, ...]:
    """The meaning of each column: by its head, else by its cells.

    Parameters
    ----------
    heads
        The cells of the row of heads; empty where there is none.
    body
        The lines below it.
    names, sections
        Folded names of strips and sections of the target template.
    """
    width = max(columns_across(body), len(heads))
    found = [column_of(heads[at] if at < len(heads) else "") for at in range(width)]
    for at, column in enumerate(found):
        if column.field in ONCE and column.field in [before.field for before in found[:at]]:
            found[at] = Column(column.head, "")
    if "name" not in [column.field for column in found]:
        named = _names_at(found, body)
        if named is not None:
            found[named] = Column(found[named].head, "name")
    name_at = next((at for at, column in enumerate(found) if column.field == "name"), None)
    own = set(_column_cells(body, name_at)) if name_at is not None else set()
    for at, column in enumerate(found):
        filled = [cell for cell in _column_cells(body, at) if not is_nothing(cell)]
        if at != name_at and is_sends(column, filled, {*names, *own}):
            found[at] = Column(column.head, "sends")
    for at, column in enumerate(found):
        if not column.field and column.head.casefold() not in NUMBERING:
            found[at] = _by_cells(column.head, _column_cells(body, at), {*names, *own}, sections, found)
    return tuple(found)


def _names_at(found: Sequence[Column], body: Sequence[table.Line]) -> int | None:
    """The first column that is not known yet whose cells are words, nearly all filled and nearly all different."""
    for at, column in enumerate(found):
        cells = _column_cells(body, at)
        words = [cell for cell in cells if re.search(r"[^\W\d_]", cell)]
        is_full = len(words) * 10 >= len(body) * 7
        if not column.field and is_full and len(set(words)) * 10 >= len(words) * 7 and not told_by(cells, (), ()):
            return at
    return next((at for at, column in enumerate(found) if not column.field and _column_cells(body, at)), None)


def _by_cells(
    head: str, cells: list[str], names: Collection[str], sections: Collection[str], found: Sequence[Column]
) -> Column:
    taken = {column.field for column in found}
    if head and head.casefold() in names and cells and all(is_send_cell(cell) or is_nothing(cell) for cell in cells):
        return Column(head, "send to", head)
    told = told_by(cells, names, sections)
    if told == "section" and len(cells) < 4:
        told = ""
    return Column(head, "" if told in taken else told)


def told_by(cells: Sequence[str], names: Collection[str], sections: Collection[str]) -> str:
    """The meaning of a column by its cells, folded; empty if they do not show it."""
    said = [cell for cell in cells if not is_nothing(cell)]
    signs: dict[str, Callable[[str], object]] = {
        "sends": lambda cell: names_send(cell, names),
        "feed": lambda cell: cell in names or physical_of(cell),  # before kinds: a strip may be called Bus or Mix
        "kind": lambda cell: cell in KIND_OF,
        "layout": lambda cell: layout_of(cell) and not cell.isdecimal(),
        "fader_db": lambda cell: LEVEL.fullmatch(cell) and re.match(r"[-−–+]|.*db", cell),
        "section": lambda cell: cell in sections,
    }
    for field, tells in signs.items():
        if said and sum(map(bool, map(tells, said))) >= ALIKE * len(said):
            return field
    return ""


# sections


def headings(body: Sequence[table.Line], columns: Sequence[Column]) -> dict[int, str]:
    """Heading rows between the others: number → text.

    A heading has one filled cell, under the names or at the left, where other rows have more. Rows follow below it. No
    other cell has its text: then it would be a destination.
    """
    usual = Counter(min(_filled(cells), 3) for _number, cells in body).most_common(1)
    if not usual or usual[0][0] < 2:
        return {}
    name_at = next((at for at, column in enumerate(columns) if column.field == "name"), 0)
    said = Counter(entry.casefold() for _number, cells in body for cell in cells for entry in {cell, *entries(cell)})
    found = {}
    for (number, cells), (_next, below) in pairwise(body):
        places = [at for at, cell in enumerate(cells) if cell]
        is_alone = len(places) == 1 and places[0] in (0, name_at) and said[cells[places[0]].casefold()] == 1
        if is_alone and _filled(below) > 1:
            found[number] = cells[places[0]].strip(" -–=:*#[]") or cells[places[0]]
    return found if len(found) * 2 <= len(body) else {}


def prefixes(names: Sequence[str]) -> dict[str, str]:
    """Names that begin with a code that others share: name → code; empty where few do."""
    codes = {}
    for name in names:
        match = PREFIX.match(name)
        if match:
            codes[name] = match["code"] or match["capitals"]
    many = Counter(codes.values())
    shared = {name: code for name, code in codes.items() if many[code] > 1}
    return shared if len(shared) * 10 >= len(names) * 6 else {}


def blanks(body: Sequence[table.Line], names: Mapping[int, str]) -> dict[int, str]:
    """Rows between empty ones as sections: number → the common start of their names, else “Group 1” and so on."""
    groups: list[list[int]] = []
    for number, _cells in body:
        if not groups or number != groups[-1][-1] + 1:
            groups.append([])
        groups[-1].append(number)
    found: dict[int, str] = {}
    for count, group in enumerate(groups, start=1):
        first_words = {names.get(number, "").split(" ")[0] for number in group}
        word = first_words.pop() if len(first_words) == 1 and len(group) > 1 else ""
        found |= dict.fromkeys(group, word or f"Group {count}")
    return found


def is_by_bus(outputs: Sequence[str], inputs: Sequence[str], names: Collection[str]) -> bool:
    """Return whether routes are named by bus: outputs are inputs of other rows rather than their names (all folded)."""
    taken = set(inputs)
    by_bus = sum(cell in taken for output in outputs for cell in entries(output))
    by_name = sum(cell in names for output in outputs for cell in entries(output))
    return by_bus > 0 and by_bus >= by_name
