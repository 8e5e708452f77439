"""Which matters a list shows: narrowed by the page's address, a hundred at a time, notes folded, counted by bars."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from urllib.parse import urlencode

from django.http import HttpRequest

from lattice.checks.finding import SEVERITIES, STANDINGS
from lattice.matters.matter import Matter
from web.editor.matters import MOST_ROWS, Row, by_family
from web.editor.places.base import wanted


@dataclass(frozen=True)
class Narrowed:
    """The filters in the address of a list; empty ones do not filter."""

    words: str = ""
    family: str = ""
    severity: str = ""
    standing: str = ""
    section: str = ""  # an id; "-" for none
    about: str = ""  # a strip's id
    code: str = ""

    @staticmethod
    def of(request: HttpRequest) -> Narrowed:
        """Parsed from a page's address, or from the parameters of a write on it."""
        known = {name: wanted(request, NAMES[name]) for name in NAMES}
        if known["severity"] not in SEVERITIES:
            known["severity"] = ""
        if known["standing"] not in STANDINGS:
            known["standing"] = ""
        return Narrowed(**known)

    def query(self, **changed: str) -> str:
        """The address of the list with one filter changed."""
        asked = {NAMES[name]: value for name, value in vars(replace(self, **changed)).items() if value}
        return urlencode(asked)

    @property
    def asks_for_notes(self) -> bool:
        """Return whether notes are wanted one by one, and not folded by family."""
        return bool(self.severity == "note" or self.standing or self.words or self.family or self.code)

    def admits(self, row: Row) -> bool:
        """Return whether an issue passes the filters."""
        matter = row.matter
        of_row = {"severity": matter.severity, "standing": matter.standing, "family": row.family}
        if any(getattr(self, name) not in ("", value) for name, value in of_row.items()):
            return False
        if self.section and row.section != ("" if self.section == "-" else self.section):
            return False
        if self.code and not any(
            code.startswith(self.code) for code in (matter.code, *(f.code for f in matter.findings))
        ):
            return False
        if self.about and not any(self.about in one.strips for one in matter.findings):
            return False
        return not self.words or self._says(matter)

    def _says(self, matter: Matter) -> bool:
        text = " ".join((matter.message, matter.code, *(one.message for one in matter.findings))).casefold()
        return all(re.search(_word(word), text) for word in self.words.casefold().split())


def _word(word: str) -> str:
    """A search word: the start of a word, or a whole number."""
    return rf"\b{word}\b" if word.isdecimal() else rf"(?<!\w){re.escape(word)}"


FEW_NOTES = 8  # this many are expanded without worse ones

NAMES = {
    "words": "q",
    "family": "family",
    "severity": "severity",
    "standing": "standing",
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
class KindFold:
    """Issues of one kind that are unfinished or assumed, in one line; a kind with one issue is its own line."""

    code: str
    rows: list[Row]

    @property
    def id(self) -> str:
        return f"k-{self.rows[0].key}"

    @property
    def message(self) -> str:
        """“5 returns have no active effect”."""
        explained = self.rows[0].explained
        many = sum(len(row.matter.own) for row in self.rows)
        return explained.many.format(n=many, place="one strip") if explained else self.rows[0].matter.message


@dataclass(frozen=True)
class Group:
    """Issues of one standing behind the mistakes, a line a kind."""

    standing: str
    kinds: list[KindFold]

    @property
    def count(self) -> int:
        """The number of issues."""
        return sum(len(kind.rows) for kind in self.kinds)

    @property
    def id(self) -> str:
        return f"g-{self.standing}"


@dataclass(frozen=True)
class Listing:
    """A part of the list: some rows, folded notes and the other standings behind the last, and where it goes on."""

    rows: list[Row]
    folds: list[NoteFold]
    groups: list[Group]
    blockers: int  # of them, those at the front that are blockers of any standing; 0 where all are mistakes
    wrong: int  # issues that are mistakes, blockers among them unless those are counted apart
    goes_on_at: int | None
    total: int
    opened: str = ""  # key of the matter that is open, and of the finding chosen in it
    chosen: str = ""


def listing(rows: list[Row], narrowed: Narrowed, start: int = 0, chosen: str = "") -> Listing:
    """Rows of the filters, a hundred from `start`; the one with `chosen` always with the first."""
    admitted = [row for row in rows if narrowed.admits(row)]
    first = admitted if narrowed.asks_for_notes else [row for row in admitted if _comes_first(row)]
    later = [] if narrowed.asks_for_notes else [row for row in admitted if not _comes_first(row)]
    worse = [row for row in first if row.matter.severity != "note"]
    unfolds = narrowed.asks_for_notes or (not worse and len(first) <= FEW_NOTES)
    listed = first if unfolds else worse
    folded = [] if unfolds else [row for row in first if row.matter.severity == "note"]
    shown = listed[start : start + MOST_ROWS]
    opened = _holding(rows, chosen) if chosen and not start else None
    moved = None if opened is None or opened in shown or _is_alone(opened, later) else opened
    if moved is not None:
        shown.insert(0, moved)
    end = start + MOST_ROWS
    goes_on = end if end < len(listed) else None
    folds = [] if goes_on is not None else [_fold(family, ones) for family, ones in by_family(folded).items()]
    groups = [] if goes_on is not None else list(_groups(later, moved))
    apart = sum(row.matter.severity == "blocker" for row in first)
    if all(row.matter.standing == "wrong" for row in first):
        apart = 0
    return Listing(
        shown, folds, groups, apart, len(first) - apart, goes_on, len(admitted), opened.key if opened else "", chosen
    )


def _comes_first(row: Row) -> bool:
    """Mistakes, and blockers whatever their standing: they are never folded."""
    return row.matter.standing == "wrong" or row.matter.severity == "blocker"


def _kind_of(row: Row) -> tuple[str, str, str]:
    return row.matter.standing, row.matter.code, row.first.issue.partition(":")[0]


def _is_alone(row: Row, rows: list[Row]) -> bool:
    """Return whether it is the only one of its kind, and so is shown without a fold."""
    return [one for one in rows if _kind_of(one) == _kind_of(row)] == [row]


def _groups(rows: list[Row], moved: Row | None) -> Iterator[Group]:
    for standing in STANDINGS[1:]:
        by_kind: dict[tuple[str, str, str], list[Row]] = {}
        for row in rows:
            if row.matter.standing == standing and row is not moved:
                by_kind.setdefault(_kind_of(row), []).append(row)
        if by_kind:
            yield Group(standing, [KindFold(code, ones) for (_standing, code, _issue), ones in by_kind.items()])


def _holding(rows: list[Row], mark: str) -> Row | None:
    """The matter with a fingerprint, its own or one of its findings."""
    for row in rows:
        if row.key == mark:
            return row
    return next((row for row in rows if any(one.fingerprint == mark for one in row.matter.findings)), None)


def _fold(family: str, rows: list[Row]) -> NoteFold:
    return NoteFold(family, len(rows), sum(row.count for row in rows))


@dataclass(frozen=True)
class Facet:
    """How many matters there are of one kind, to be looked at and pressed."""

    words: str
    count: int
    share: int  # of the longest, in percent
    query: str
    is_pressed: bool


def bars(
    rows: list[Row], narrowed: Narrowed, name: str, of: Callable[[Row], str], words: Callable[[str], str]
) -> list[Facet]:
    """Facets of the families or sections under the other filters; a second press clears one."""
    at_large = replace(narrowed, **{name: ""})
    counts = Counter(of(row) for row in rows if at_large.admits(row))
    most = max(counts.values(), default=1)
    pressed: str = getattr(narrowed, name)
    return [
        Facet(
            words(value), count, round(100 * count / most),
            narrowed.query(**{name: "" if value == pressed else value}), value == pressed,
        )
        for value, count in counts.most_common()
    ]  # fmt: skip
