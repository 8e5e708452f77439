"""Matters as margin, Findings, map and report show them: numbered, narrowed, a hundred at a time."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest

from lattice.checks import Finding
from lattice.checks.finding import SEVERITIES, Remedy
from lattice.checks.registry import EXPLANATIONS, Explanation
from lattice.matters.effect import Effects, Foretold, best_first
from lattice.matters.matter import Matter
from lattice.model.document import Waiver
from lattice.sheet import Sheet
from lattice.sheet.svg import Mark
from web.editor.places.base import wanted
from web.shelf.workspace import Workspace

MOST_ROWS = 100  # that are rendered at once, anywhere
MOST_SHOWN = 40  # strips of a matter that are lit on the map

# The families of checks.md, by the first word of a code; section.stray is about routes.
FAMILIES = {
    **dict.fromkeys(("route", "section.stray", "part", "choice", "io", "tie"), "Continuity"),
    "key": "Keys",
    "midi": "MIDI",
    "loop": "Loops",
    "level": "Levels",
    "time": "Timing",
    "stem": "Stems",
    "rule": "Rules",
    "audit": "This audit",
    **dict.fromkeys(("plugin", "budget"), "Machines"),
}
OTHERS = "Names and sections"


def family_of(code: str) -> str:
    """The family of a code, as people say it."""
    return FAMILIES.get(code) or FAMILIES.get(code.partition(".")[0], OTHERS)


@dataclass(frozen=True)
class Row:
    """A matter with the number it has on the sheet and in lists, and where it is."""

    number: int
    matter: Matter
    zone: str
    section: str  # the id of its first strip's; empty for none
    effects: Effects

    @cached_property
    def key(self) -> str:
        """The matter's fingerprint."""
        return self.matter.fingerprint

    @property
    def first(self) -> Finding:
        return self.matter.own[0]

    @property
    def count(self) -> int:
        return len(self.matter.own) + len(self.matter.consequences)

    @property
    def why(self) -> str:
        """A line of evidence; of several findings, what the first of them says."""
        if len(self.matter.own) > 1:
            return self.first.message
        return self.first.evidence[0] if self.first.evidence else ""

    @property
    def family(self) -> str:
        return family_of(self.matter.code)

    @cached_property
    def remedies(self) -> list[Remedy]:
        """What puts most right first."""
        return best_first(self.matter, self.effects)

    @property
    def best(self) -> Remedy | None:
        return self.remedies[0] if self.remedies else None

    @property
    def foretold(self) -> list[tuple[Remedy, Foretold | None]]:
        """Remedies, each with what it would do where that has been worked out."""
        return [(remedy, self.effects.get((self.key, remedy.key))) for remedy in self.remedies]

    @property
    def strips(self) -> str:
        """Strips to light on the map: those of its one finding, or the first of each."""
        if self.count == 1:
            return " ".join(self.first.strips)
        firsts = (finding.strips[0] for finding in self.matter.findings if finding.strips)
        return " ".join(list(dict.fromkeys(firsts))[:MOST_SHOWN])

    @property
    def routes(self) -> str:
        """Routes to light with them: what its first finding is about, and the cause."""
        return " ".join(dict.fromkeys((*self.first.routes, *self.first.path, *self.matter.cause)))

    @property
    def explained(self) -> Explanation | None:
        """What there is to know of its code."""
        return EXPLANATIONS.get(self.matter.code)

    @property
    def content(self) -> int:
        """A number that changes with what stands in it."""
        said = ((one.severity, one.message, one.evidence, tuple(one.figures.items())) for one in self.matter.findings)
        effects = tuple(remedy.key + (effect.sentence if effect else "") for remedy, effect in self.foretold)
        return hash((self.zone, self.matter.message, tuple(said), effects))


def rows_of(space: Workspace, sheet: Sheet | None = None) -> list[Row]:
    """All matters, numbered worst first."""
    zones = sheet.zone_of if sheet else {}
    strips, index = space.template.strips, space.graph.index

    def row(number: int, matter: Matter) -> Row:
        first = matter.own[0]
        at = first.strips[0] if first.strips else ""
        section = strips[index[at]].section if at in index else next(iter(first.sections), None)
        return Row(number, matter, zones.get(at, ""), section or "", space.effects)

    return [row(number, matter) for number, matter in enumerate(space.matters, start=1)]


def marks(sheet: Sheet, rows: Iterable[Row]) -> dict[str, Mark]:
    """The worst matter of each box, at the strips its findings are about."""
    box_of = {member: box.id for box in sheet.boxes for member in box.members}
    found: dict[str, Mark] = {}
    worst = sorted(
        ((one.severity, row, one) for row in rows for one in row.matter.findings),
        key=lambda entry: SEVERITIES.index(entry[0]),
    )
    for severity, row, one in worst:
        box = box_of.get(one.strips[0]) if one.strips else None
        if box and box not in found:
            found[box] = Mark(severity, row.number, row.key)
    return found


def by_family(rows: Iterable[Row]) -> dict[str, list[Row]]:
    """The same by family, in the order of the worst of each."""
    families: dict[str, list[Row]] = {}
    for row in rows:
        families.setdefault(row.family, []).append(row)
    return families


def waived_by_waiver(space: Workspace) -> list[tuple[Waiver, list[Finding]]]:
    """Every waiver that covers something, with all that it covers, in the order of the findings."""
    waivers = {waiver.fingerprint: waiver for waiver in space.template.waivers}
    covered: dict[str, list[Finding]] = {}
    for finding in space.audit.findings:
        if finding.waived:
            covered.setdefault(finding.waived_by, []).append(finding)
    return [(waivers[mark], ones) for mark, ones in covered.items()]


def offered(space: Workspace, fingerprint: str) -> Iterator[tuple[Finding | Matter, Remedy]]:
    """Remedies of the matter or the finding with a fingerprint."""
    offering: tuple[Finding | Matter, ...] = (*space.matters, *space.audit.findings)
    for one in offering:
        if one.remedies and one.fingerprint == fingerprint:
            yield from ((one, remedy) for remedy in one.remedies)


# ---- narrowing


@dataclass(frozen=True)
class Narrowed:
    """What the address of a list asks for; what is empty asks for nothing."""

    words: str = ""
    family: str = ""
    severity: str = ""
    section: str = ""  # an id; "-" for none
    about: str = ""  # a strip's id
    code: str = ""

    @staticmethod
    def of(request: HttpRequest) -> Narrowed:
        """Read from a page's address, or from what a write on it says of that."""
        known = {name: wanted(request, NAMES[name]) for name in NAMES}
        if known["severity"] not in SEVERITIES:
            known["severity"] = ""
        return Narrowed(**known)

    def query(self, **changed: str) -> str:
        """The address of the list with something else asked for."""
        asked = {NAMES[name]: value for name, value in vars(replace(self, **changed)).items() if value}
        return urlencode(asked)

    @property
    def asks_for_notes(self) -> bool:
        """Whether notes are wanted one by one, and not folded by family."""
        return bool(self.severity == "note" or self.words or self.family or self.code)

    def admits(self, row: Row) -> bool:
        """Whether a matter is asked for."""
        matter = row.matter
        if self.severity and matter.severity != self.severity:
            return False
        if self.family and row.family != self.family:
            return False
        if self.section and row.section != ("" if self.section == "-" else self.section):
            return False
        if self.code and not any(one.code.startswith(self.code) for one in matter.findings):
            return False
        if self.about and not any(self.about in one.strips for one in matter.findings):
            return False
        return not self.words or self._says(matter)

    def _says(self, matter: Matter) -> bool:
        text = " ".join((matter.message, matter.code, *(one.message for one in matter.findings))).casefold()
        return all(re.search(_word(word), text) for word in self.words.casefold().split())


def _word(word: str) -> str:
    """A word as it is looked for: how one begins, a number as a whole."""
    return rf"\b{word}\b" if word.isdecimal() else rf"(?<!\w){re.escape(word)}"


NAMES = {
    "words": "q",
    "family": "family",
    "severity": "severity",
    "section": "section",
    "about": "about",
    "code": "code",
}


@dataclass(frozen=True)
class NoteFold:
    """Notes of a family in one line."""

    family: str
    matters: int
    findings: int

    @property
    def id(self) -> str:
        return "n-" + self.family.casefold().replace(" ", "-")


@dataclass(frozen=True)
class Listing:
    """A part of the list: some rows, folded notes behind the last of them, and where it goes on."""

    rows: list[Row]
    folds: list[NoteFold]
    goes_on_at: int | None
    total: int
    opened: str = ""  # key of the matter that is open, and of the finding chosen in it
    chosen: str = ""


def listing(rows: list[Row], narrowed: Narrowed, start: int = 0, chosen: str = "") -> Listing:
    """Rows that are asked for, a hundred from `start`; the one that holds `chosen` always with the first."""
    admitted = [row for row in rows if narrowed.admits(row)]
    listed = admitted if narrowed.asks_for_notes else [row for row in admitted if row.matter.severity != "note"]
    folded = [] if narrowed.asks_for_notes else [row for row in admitted if row.matter.severity == "note"]
    shown = listed[start : start + MOST_ROWS]
    opened = _holding(rows, chosen) if chosen and not start else None
    if opened is not None and opened not in shown:
        shown.insert(0, opened)
    end = start + MOST_ROWS
    goes_on = end if end < len(listed) else None
    folds = [] if goes_on is not None else [_fold(family, ones) for family, ones in by_family(folded).items()]
    return Listing(shown, folds, goes_on, len(admitted), opened.key if opened else "", chosen)


def _holding(rows: list[Row], mark: str) -> Row | None:
    """The matter with a fingerprint, its own or one of its findings."""
    for row in rows:
        if row.key == mark:
            return row
    return next((row for row in rows if any(one.fingerprint == mark for one in row.matter.findings)), None)


def _fold(family: str, rows: list[Row]) -> NoteFold:
    return NoteFold(family, len(rows), sum(row.count for row in rows))


@dataclass(frozen=True)
class Bar:
    """How many matters there are of one kind, to be looked at and pressed."""

    words: str
    count: int
    share: int  # of the longest, in percent
    query: str
    is_pressed: bool


def bars(
    rows: list[Row], narrowed: Narrowed, name: str, of: Callable[[Row], str], words: Callable[[str], str]
) -> list[Bar]:
    """Bars of the families or sections of what is asked for otherwise; a second press lets go."""
    at_large = replace(narrowed, **{name: ""})
    counts = Counter(of(row) for row in rows if at_large.admits(row))
    most = max(counts.values(), default=1)
    pressed: str = getattr(narrowed, name)
    return [
        Bar(words(value), count, round(100 * count / most), narrowed.query(**{name: "" if value == pressed else value}),
            value == pressed)
        for value, count in counts.most_common()
    ]  # fmt: skip


def open_words(rows: list[Row], summary: dict[str, int]) -> str:
    """“63 in 34 matters, 1 waived”."""
    findings, waived = sum(summary[severity] for severity in SEVERITIES), summary["waived"]
    many = f"{findings} in {len(rows)} matters" if len(rows) < findings else f"{findings} open"
    return f"{many}, {waived} waived" if waived else many


def row_of(space: Workspace, key: str, sheet: Sheet | None = None) -> Row | None:
    """The matter with a fingerprint, numbered."""
    return next((row for row in rows_of(space, sheet) if row.key == key), None)


def contents(row: Row, start: int = 0) -> dict[str, Any]:
    """What stands in an opened matter, a hundred of its findings at a time."""
    findings = row.matter.findings
    end = start + MOST_ROWS
    return {
        "row": row,
        "ones": findings[start:end],
        "follow_from": max(0, len(row.matter.own) - start),  # place of the first consequence among them
        "goes_on_at": end if end < len(findings) else None,
        "left": len(findings) - end,
        "is_continued": bool(start),
    }
