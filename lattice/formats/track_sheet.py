"""The track sheet: one row a strip, as people keep it in a spreadsheet, to a template and back."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, get_args

from msgspec.structs import replace

from lattice.errors import DocumentError
from lattice.formats import table
from lattice.model import document as doc
from lattice.model.document import Insert, Route, Section, Source, Strip, Template
from lattice.model.layouts import DISCRETE, NAMED
from lattice.model.names import free_id, slug
from lattice.model.units import parse_channels, parse_db, parse_pan
from lattice.model.validate import problems, route_sentences

COLUMNS = (
    "id", "name", "kind", "layout", "section", "tags", "fader_db", "pan", "mute", "feed", "sends", "keys",
    "inserts", "io", "source_peak_dbfs", "source_rms_dbfs", "note",
)  # fmt: skip
KINDS = get_args(doc.StripKind)
INSERT_TYPES = get_args(doc.InsertType)
TAPS = get_args(doc.Tap)
YES = frozenset({"yes", "y", "true", "1", "x", "on", "muted"})
NO = frozenset({"", "no", "n", "false", "0", "off", "-"})


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
class _Row:
    number: int
    cells: dict[str, str]
    id: str = ""


def load(data: bytes, name: str = "Track sheet") -> Template:
    """The template of a sheet that is good as a whole. Raises DocumentError with every problem."""
    read = read_sheet(data, name)
    if read.problems:
        raise DocumentError([str(problem) for problem in read.problems])
    return read.template


def read_sheet(data: bytes, name: str = "Track sheet") -> ReadSheet:
    """All that can be understood of a sheet or a plain list of names.

    Raises DocumentError where nothing can: no text, no rows, too many.
    """
    lines = table.rows(table.decode(data))
    if not any(lines):
        raise DocumentError(["the sheet is empty"])
    if len(lines) > doc.MAX_STRIPS + 1:
        raise DocumentError([f"{len(lines)} rows; at most {doc.MAX_STRIPS} strips are allowed"])
    return _Reader(name, lines).read()


class _Reader:
    """Reads in three passes: rows and ids, routes by name, kinds that were left open."""

    def __init__(self, name: str, lines: list[list[str]]) -> None:
        self.name = name
        self.lines = lines
        self.problems: list[SheetProblem] = []
        self.rows: list[_Row] = []
        self.sections: dict[str, Section] = {}
        self.places: dict[str, str] = {}  # id or folded name → strip id
        self.routes: list[tuple[_Row, str, Route]] = []
        self.inserts: dict[str, list[Insert]] = {}
        self.insert_ids: set[str] = set()

    def read(self) -> ReadSheet:
        self._rows()
        for row in self.rows:
            self.inserts[row.id] = self._inserts(row)
        for row in self.rows:
            self._routes(row)
        guessed = {row.id: self._guess(row) for row in self.rows if not self._kind(row)}
        strips = [self._strip(row, self._kind(row) or guessed[row.id]) for row in self.rows]
        template = Template(name=self.name[:120] or "Track sheet", strips=tuple(strips))
        template = self._with_routes(template)
        for said in problems(template):  # a safeguard: everything above says it by row and column
            raise DocumentError([str(said)])
        return ReadSheet(template, sorted(self.problems, key=lambda problem: problem.row), guessed)

    def _problem(self, row: _Row, column: str, sentence: str) -> None:
        self.problems.append(SheetProblem(row.number, column, sentence))

    # rows and ids

    def _rows(self) -> None:
        first = next(index for index, line in enumerate(self.lines) if line)
        header = [cell.lower().replace(" ", "_") for cell in self.lines[first]]
        if "name" in header or "id" in header:
            known = [column if column in COLUMNS else "" for column in header]
            for position, column in enumerate(header):
                if column and (column not in COLUMNS or column in header[:position]):
                    sentence = (
                        "is there twice"
                        if column in header[:position]
                        else f"unknown column; known are {', '.join(COLUMNS)}"
                    )
                    self.problems.append(SheetProblem(first + 1, self.lines[first][position], sentence))
            body = self.lines[first + 1 :]
            offset = first + 2
        else:
            known, body, offset = ["name"], self.lines, 1
        taken: set[str] = set()
        for number, line in enumerate(body, start=offset):
            if line:
                self._row(
                    _Row(number, {column: cell for column, cell in zip(known, line, strict=False) if column}), taken
                )
        if not self.rows and not self.problems:
            raise DocumentError(["the sheet has a header and no rows"])

    def _row(self, row: _Row, taken: set[str]) -> None:
        name = row.cells.get("name") or row.cells.get("id", "")
        if not name:
            self._problem(row, "name", "is empty; the row is left out")
            return
        if len(name) > 500:
            self._problem(row, "name", "is longer than 500 characters; the row is left out")
            return
        wanted = row.cells.get("id", "")
        if wanted and slug(wanted) != wanted:
            self._problem(row, "id", f"“{wanted}” is not an id: a–z, 0–9 and -; one is made from the name")
            wanted = ""
        if wanted in taken:
            self._problem(row, "id", f"{wanted} is taken by an earlier row; another is made")
        row.id = free_id(wanted or slug(name), taken)
        row.cells["name"] = name
        taken.add(row.id)
        self.places.setdefault(name.casefold(), row.id)
        self.places[row.id] = row.id
        self.rows.append(row)

    # cells

    def _cell(self, row: _Row, column: str, read: Callable[[str], Any], default: Any) -> Any:
        text = row.cells.get(column, "")
        if not text:
            return default
        try:
            return read(text)
        except ValueError as wrong:
            self._problem(row, column, str(wrong))
            return default

    def _kind(self, row: _Row) -> str:
        text = row.cells.get("kind", "").lower()
        if text and text not in KINDS:
            self._problem(row, "kind", f"“{text}” is not one of {', '.join(KINDS)}; it is guessed")
            row.cells["kind"] = ""
            return ""
        return text

    def _guess(self, row: _Row) -> str:
        """What others feed is a bus; what they only send to, a return; with physical channels, an end."""
        kinds = {route.kind for _row, _column, route in self.routes if route.to == row.id}
        if "feed" in kinds:
            return "output" if row.cells.get("io") else "bus"
        if "send" in kinds:
            return "output" if row.cells.get("io") else "return"
        return "input" if row.cells.get("io") else "audio"

    def _strip(self, row: _Row, kind: Any) -> Strip:
        return Strip(
            id=row.id,
            name=row.cells["name"],
            kind=kind,
            layout=self._cell(row, "layout", _layout, "mono"),
            section=self._section(row.cells.get("section", "")),
            tags=tuple(dict.fromkeys(row.cells.get("tags", "").replace(";", " ").replace(",", " ").lower().split())),
            fader_db=self._cell(row, "fader_db", parse_db, 0.0),
            pan=self._cell(row, "pan", parse_pan, 0.0),
            mute=self._cell(row, "mute", _yes_or_no, False),
            io=self._cell(row, "io", parse_channels, None),
            note=row.cells.get("note", "")[:100_000],
            inserts=tuple(self.inserts[row.id]),
            **self._source(row),
        )

    def _source(self, row: _Row) -> dict[str, Any]:
        if not (row.cells.get("source_peak_dbfs") or row.cells.get("source_rms_dbfs")):
            return {}
        usual = doc.USUAL_SOURCE
        peak = self._cell(row, "source_peak_dbfs", parse_db, usual.peak_dbfs)
        rms = self._cell(row, "source_rms_dbfs", parse_db, usual.rms_dbfs)
        return {"source": None if peak is None or rms is None else Source(peak_dbfs=peak, rms_dbfs=rms)}

    def _section(self, text: str) -> str | None:
        if not text:
            return None
        folded = text.casefold()
        if folded not in self.sections:
            taken = {section.id for section in self.sections.values()}
            self.sections[folded] = Section(id=free_id(slug(text), taken), name=text[:500])
        return self.sections[folded].id

    def _inserts(self, row: _Row) -> list[Insert]:
        inserts = []
        for entry in _entries(row.cells.get("inserts", "")):
            kind, colon, latency = (piece.strip().lower() for piece in entry.partition(":"))
            if kind not in INSERT_TYPES:
                self._problem(row, "inserts", f"“{kind}” is not one of {', '.join(INSERT_TYPES)}")
                continue
            if colon and not (latency.isdecimal() and len(latency) <= 9):
                self._problem(row, "inserts", f"“{latency}” is not a latency in samples")
                latency = ""
            new = free_id(f"{row.id}-{kind}"[:64], self.insert_ids)
            self.insert_ids.add(new)
            inserts.append(Insert(id=new, type=kind, latency_samples=int(latency or 0)))  # type: ignore[arg-type]
        return inserts

    # routes

    def _routes(self, row: _Row) -> None:
        for entry in _entries(row.cells.get("feed", "")):
            self._route(row, "feed", entry)
        for entry in _entries(row.cells.get("sends", "")):
            self._route(row, "sends", entry)
        for entry in _entries(row.cells.get("keys", "")):
            self._route(row, "keys", entry)

    def _route(self, row: _Row, column: str, entry: str) -> None:
        place, gain_db, tap = entry, 0.0, "post-fader"
        for known in TAPS:
            if place.lower().endswith(" " + known):
                place, tap = place[: -len(known)].strip(), known
        place, _at, level = place.rpartition("@") if "@" in place else (place, "", "")
        try:
            gain = parse_db(level) if level else gain_db
        except ValueError as wrong:
            self._problem(row, column, str(wrong))
            return
        target, insert = place.strip(), None
        if column == "keys":
            target, _slash, insert = (piece.strip() for piece in target.partition("/"))
        to = self.places.get(target) or self.places.get(target.casefold())
        if to is None:
            self._problem(row, column, f"there is no strip “{target}”")
            return
        kind = {"feed": "feed", "sends": "send", "keys": "key"}[column]
        route = Route(
            id=f"r{len(self.routes) + 1}", kind=kind, from_strip=row.id, to=to, gain_db=gain, tap=tap,  # type: ignore[arg-type]
            to_insert=self._keyed(row, to, insert) if insert is not None else None,
        )  # fmt: skip
        if column != "keys" or route.to_insert:
            self.routes.append((row, column, route))

    def _keyed(self, row: _Row, to: str, wanted: str) -> str | None:
        """The insert a key names by id or type; a strip's only insert that can be keyed takes the name."""
        inserts = self.inserts[to]
        able = [index for index, insert in enumerate(inserts) if insert.type in doc.KEYABLE_TYPES]
        named = [index for index in able if wanted in (inserts[index].id, inserts[index].name)]
        named = named or [index for index in able if inserts[index].type == wanted.lower()]
        if not named and len(able) == 1 and not inserts[able[0]].name and slug(wanted) == wanted:
            named = able
            if wanted not in self.insert_ids:
                self.insert_ids.add(wanted)
                inserts[able[0]] = replace(inserts[able[0]], id=wanted, name=wanted)
        if not named:
            self._problem(row, "keys", f"{to} has no insert “{wanted}” that can be keyed")
            return None
        inserts[named[0]] = replace(inserts[named[0]], key="external")
        return inserts[named[0]].id

    def _with_routes(self, template: Template) -> Template:
        """The template with sections and with the routes that may be; the others are said."""
        strips = {strip.id: strip for strip in template.strips}
        template = replace(
            template, sections=tuple(self._with_bus(section, strips) for section in self.sections.values())
        )
        routes: list[Route] = []
        for row, column, route in self.routes:
            if (
                sentences := route_sentences(template, route)
                if "midi" in (strips[row.id].kind, strips[route.to].kind)
                else []
            ):
                self._problem(row, column, sentences[0])
            else:
                routes.append(replace(route, id=f"r{len(routes) + 1}"))
        return replace(template, routes=tuple(routes))

    def _with_bus(self, section: Section, strips: dict[str, Strip]) -> Section:
        """A section whose strips all feed one bus has that bus."""
        fed = {
            route.to
            for _row, _column, route in self.routes
            if route.kind == "feed" and strips[route.from_strip].section == section.id and route.from_strip != route.to
            and strips[route.from_strip].kind != "bus"
        }  # fmt: skip
        only = fed.pop() if len(fed) == 1 else None
        return replace(section, bus=only) if only and strips[only].kind == "bus" else section


def _entries(text: str) -> Iterator[str]:
    return (entry.strip() for entry in text.split(";") if entry.strip())


def _layout(text: str) -> str:
    plain = text.lower().replace(" ", "")
    number = plain.removeprefix(DISCRETE)
    if plain in NAMED or (
        plain != number and number.isdecimal() and 1 <= int(number) <= 64 and not number.startswith("0")
    ):
        return plain
    raise ValueError(f"“{text}” is not a layout: {', '.join(NAMED)} or discrete:1 to discrete:64")


def _yes_or_no(text: str) -> bool:
    if text.lower() in YES | NO:
        return text.lower() in YES
    raise ValueError(f"“{text}” is not yes or no")
