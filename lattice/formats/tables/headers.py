"""The meaning of each column of a table: by its head, else by its cells."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from lattice.formats import table
from lattice.formats.tables.reader import COLUMNS, NO, YES
from lattice.formats.tables.words import KIND_OF, layout_of
from lattice.formats.track_sheet_cells import entries
from lattice.model.document import MAX_STRIPS

HEADS: dict[str, tuple[str, ...]] = {
    "name": ("track", "track name", "channel", "channel name", "strip", "title", "label", "track title", "source name"),
    "kind": ("type", "track type", "channel type", "strip kind", "strip type", "category"),
    "layout": ("format", "width", "channel format", "mono/stereo", "channels", "m/s", "track format", "config"),
    "section": ("group", "folder", "family", "department", "stack", "submix group", "part of"),
    "machine": ("computer", "host", "system", "rig"),
    "feed": (
        "to", "output", "out", "destination", "routed to", "goes to", "feeds", "feed to", "main out", "output bus",
        "outputs", "dest", "route to", "main output", "output to", "bus out",
    ),
    "input": ("in", "from", "source", "comes from", "fed by", "input bus", "inputs", "bus in", "input from"),
    "sends": (
        "send", "aux", "auxes", "fx", "effects", "aux sends", "fx sends", "effect sends", "sends to", "send to",
        "aux send", "fx send", "effect send", "effects send", "effects sends",
    ),
    "keys": ("key", "side-chain", "sidechain", "side-chains", "key to", "side chain", "side-chain to"),
    "midi": ("midi to", "plays", "midi output", "midi out", "midi destination"),
    "inserts": ("insert", "plug-ins", "plugins", "processing", "processors", "chain", "insert chain"),
    "io": ("physical", "physical channels", "hardware", "patch", "interface", "converter"),
    "fader_db": ("fader", "level", "volume", "fader level", "vol", "fader db"),
    "pan": ("panning", "pan position", "balance"),
    "mute": ("muted",),
    "state": ("status", "strip state"),
    "in_service": ("active", "enabled", "in use", "active?"),
    "invert": ("polarity", "phase", "ø"),
    "armed": ("arm", "record", "rec"),
    "monitor": ("monitoring",),
    "tags": ("tag", "intent"),
    "colour": ("color", "track colour", "track color"),
    "note": ("notes", "comment", "comments", "remark", "remarks", "memo", "description", "info"),
    "source_peak_dbfs": ("peak", "source peak", "peak dbfs"),
    "source_rms_dbfs": ("rms", "source rms", "rms dbfs"),
    "latency_samples": ("latency",),
    "memory_mb": ("memory", "ram"),
}  # fmt: skip
# Heads of values that a template does not import: these columns are known, and unused.
NUMBERING = frozenset({"#", "no", "no.", "nr", "nr.", "number", "index", "pos", "order", "row"})
FIELD_OF = {head: field for field, heads in HEADS.items() for head in (field, *heads)} | {
    name: name for name in COLUMNS
}
# Sends in columns of their own: “send A”, “send A level”, “aux 2 pre/post”, “send level A”.
SEND = re.compile(
    r"(?:send|aux|fx|effect)\s*#?(?P<slot>[a-z]|\d{1,2})"
    r"(?:\s+(?P<what>level|db|amount|gain|tap|pre/post|pre|to|dest|destination|bus))?"
)
SEND_TURNED = re.compile(r"(?:send|aux|fx|effect)\s+(?P<what>level|db|amount|gain|tap|to)\s*#?(?P<slot>[a-z]|\d{1,2})")
LEVEL_WORDS = frozenset({"level", "db", "amount", "gain"})
PLACE_WORDS = frozenset({"", "to", "dest", "destination", "bus"})
# The meanings of columns without a head, in this order, if their cells do not show them.
IN_ORDER = ("section", "kind", "layout", "feed", "sends")
# Columns whose cells name other rows in another sense, or nothing of the kind.
NEVER_SENDS = frozenset(("name", "id", "sends", "feed", "input", "keys", "midi", "ties", "inserts", "outlets", "parts"))
NOTED = "noted"  # as a field: goes to the note behind its head
LEVEL = re.compile(r"[-−–+]?\d+(?:[.,]\d+)?\s*(?:db|dbfs)?", re.I)
SEPARATORS = ("\t", ";", ",")
# “Hall -12 dB pre”, “Hall (−12 dB)”: a level behind a name, as people write sends without an @.
BARE_LEVEL = re.compile(
    r"(?P<place>.*\S)\s+\(?(?P<level>[-−–+]?\d+(?:[.,]\d+)?\s*(?:db)?)\)?(?P<tap>\s+pre(?:-fader)?)?", re.I
)


@dataclass(frozen=True)
class Column:
    """The meaning of one column."""

    head: str
    field: str  # a column of the track sheet, input, send, send level, send tap, send to; empty where it is not used
    slot: str = ""  # of a send in columns of its own; under “send to”, where its cells' levels are sent

    @property
    def said(self) -> str:
        """Field and slot as choices name them: `feed`, `send level:a`."""
        return f"{self.field}:{self.slot}" if self.slot else self.field


@dataclass(frozen=True)
class Columns:
    """A table taken apart."""

    columns: tuple[Column, ...]
    rows: list[table.Line]
    has_heads: bool

    @property
    def unused(self) -> list[str]:
        """Heads of columns that are not used."""
        return [column.head for column in self.columns if column.head and not column.field]


def column_of(head: str) -> Column:
    """The meaning of a column by its head."""
    plain = " ".join(head.casefold().replace("_", " ").split())
    own_send = SEND.fullmatch(plain) or SEND_TURNED.fullmatch(plain)
    if own_send:
        what = own_send["what"] or ""
        field = "send" if what in PLACE_WORDS else "send level" if what in LEVEL_WORDS else "send tap"
        return Column(head, field, own_send["slot"])
    return Column(head, FIELD_OF.get(plain, FIELD_OF.get(plain.replace(" ", "_"), "")))


def table_of(text: str, names: Collection[str] = (), sections: Collection[str] = ()) -> Columns:
    """A pasted list or table taken apart into columns.

    Tabs always separate. Semicolons and commas separate if a row of heads shows it, or if the parts are known (kinds,
    layouts, names of strips and sections): names may have commas in them.

    Parameters
    ----------
    text
        One strip a line.
    names, sections
        Folded names of strips and sections that cells may mean.

    Raises
    ------
    DocumentError
        If it has too many rows, or lines that are not text.
    """
    for separator in SEPARATORS:
        if separator not in text:
            continue
        lines = table.rows(text, MAX_STRIPS + 1, separator)
        if not lines:
            continue
        heads = [column_of(cell) for cell in lines[0][1]]
        if _are_heads(heads):
            return Columns(_with_sends(heads, lines[1:], names), lines[1:], has_heads=True)
        columns = _by_content(lines, names, sections, takes_order=separator == "\t")
        if columns is not None:
            return Columns(columns, lines, has_heads=False)
    lines = table.rows(text, MAX_STRIPS + 1, "\0")
    has_head = bool(lines) and lines[0][1][0].casefold() == "name"
    return Columns((Column("", "name"),), lines[has_head:], has_heads=has_head)


def _with_sends(heads: Sequence[Column], lines: Sequence[table.Line], names: Collection[str]) -> tuple[Column, ...]:
    """The columns, those read as sends whose cells all name a strip and a level, whatever their head."""
    name_at = [column.field for column in heads].index("name")
    own = {line[name_at].casefold() for _number, line in lines if name_at < len(line)}
    found = list(heads)
    for at, column in enumerate(heads):
        cells = [line[at].casefold() for _number, line in lines if at < len(line) and line[at]]
        if at != name_at and is_sends(column, cells, {*names, *own}):
            found[at] = Column(column.head, "sends")
    return tuple(found)


def is_sends(column: Column, cells: Collection[str], names: Collection[str]) -> bool:
    """Return whether the cells of a column name other rows as sends: contents count before the head."""
    if column.field in NEVER_SENDS or column.slot or not cells:
        return False
    places = [place for cell in cells for place in (entries(cell) if cell not in names else [cell])]
    with_level = sum(names_send(place, names) for place in places if "@" not in place or _place_of(place) in names)
    named = with_level + sum(place in names for place in places)
    is_unknown = not column.field and with_level > 0
    return named == len(places) and (2 * with_level >= len(places) or is_unknown)


def _place_of(cell: str) -> str:
    """The name before an @."""
    return cell.partition("@")[0].strip()


def names_send(cell: str, names: Collection[str]) -> bool:
    """Return whether a folded cell is a strip's name with a level behind it: “chapel −9 db”, “chapel@-9”."""
    match = BARE_LEVEL.fullmatch(cell)
    return "@" in cell or (match is not None and cell not in names and match["place"] in names)


def _are_heads(heads: Sequence[Column]) -> bool:
    fields = [column.field for column in heads if column.field]
    return "name" in fields and len(fields) > 1


def _by_content(
    lines: list[table.Line], names: Collection[str], sections: Collection[str], *, takes_order: bool
) -> tuple[Column, ...] | None:
    """Columns by their cells; None if no cell beside the names shows a meaning."""
    width = max(len(line) for _number, line in lines)
    own = {line[0].casefold() for _number, line in lines}
    fields: dict[int, str] = {0: "name"}
    for at in range(1, width):
        cells = [line[at].casefold() for _number, line in lines if at < len(line) and line[at]]
        told = _told_by(cells, {*names, *own}, sections)
        if told and told not in fields.values():
            fields[at] = told
    if len(fields) == 1 and not takes_order:
        return None
    left = iter([field for field in IN_ORDER if field not in fields.values()])
    return tuple(Column("", fields.get(at) or next(left, "")) for at in range(width))


def _told_by(cells: list[str], names: Collection[str], sections: Collection[str]) -> str:
    """The meaning of a column by its cells; empty if they do not show it."""
    signs: dict[str, Callable[[str], object]] = {
        "sends": lambda cell: names_send(cell, names),
        "feed": lambda cell: cell in names,  # before kinds: a strip may be called Bus or Mix
        "kind": lambda cell: cell in KIND_OF,
        "layout": layout_of,
        "section": lambda cell: cell in sections,
    }
    return next((field for field, tells in signs.items() if cells and all(map(tells, cells))), "")


def cells_of(columns: Sequence[Column], line: Sequence[str]) -> dict[str, str]:
    """The cells of a line by field; sends of columns of their own become one cell, notes are joined."""
    cells: dict[str, str] = {}
    sends: dict[str, dict[str, str]] = {}
    for column, cell in zip(columns, line, strict=False):
        if column.field == NOTED:
            said = f"{column.head}: {cell}" if cell else ""
            cells["note"] = "; ".join(filter(None, (cells.get("note"), said)))
        elif column.field == "send to" and is_send_cell(cell):
            sends[column.slot] = {"send": column.slot, "send level": "" if cell.casefold() in YES else cell}
        elif column.slot:
            sends.setdefault(column.slot, {})[column.field] = cell
        elif cell and column.field:
            before = cells.get(column.field)
            cells[column.field] = f"{before}; {cell}" if before else cell
    written = [_send_cell(send) for send in sends.values() if send.get("send")]
    if written:
        cells["sends"] = "; ".join([*([cells["sends"]] if "sends" in cells else []), *written])
    return cells


def is_send_cell(cell: str) -> bool:
    """Return whether a cell under the name of a destination states a send: a level, or a yes."""
    return cell.casefold() in YES or (cell.casefold() not in NO and bool(LEVEL.fullmatch(cell)))


def _send_cell(send: dict[str, str]) -> str:
    level, tap = send.get("send level", ""), send.get("send tap", "").casefold()
    words = send["send"] + (f"@{level}" if level else "")
    return f"{words} pre-fader" if tap.startswith("pre") or tap in ("yes", "x", "1") else words
