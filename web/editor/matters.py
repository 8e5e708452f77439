"""Issues as in the side panel, findings, map and report: numbered, filtered, a hundred at a time."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from operator import itemgetter
from typing import Any

from django.template.defaultfilters import pluralize

from lattice.checks import Finding
from lattice.checks.finding import SEVERITIES, STANDINGS, Remedy
from lattice.checks.registry import EXPLANATIONS, Explanation
from lattice.drawing import Sheet
from lattice.drawing.svg import Mark
from lattice.matters.effect import Effects, EffectSummary, best_first
from lattice.matters.matter import Matter
from lattice.model.document import Waiver
from web.shelf.workspace import Workspace

MOST_ROWS = 100  # that are rendered at once, anywhere
MOST_SHOWN = 40  # strips of a matter that are lit on the map

# The families of docs/reference/checks.md, by the first word of a code; section.stray is about routes.
FAMILIES = {
    **dict.fromkeys(("route", "section.stray", "part", "choice", "io", "tie"), "Continuity"),
    "key": "Side-chains",
    "midi": "MIDI",
    "loop": "Loops",
    "level": "Levels",
    "time": "Timing",
    "stem": "Stems",
    "return": "Levels",
    "panner": "Continuity",
    "mix": "Levels",
    "rule": "Rules",
    **dict.fromkeys(("trigger", "key.ducks-itself"), "Side-chains"),
    **dict.fromkeys(("gate", "filter"), "Levels"),
    **dict.fromkeys(("print", "reference", "pop"), "Stems"),
    **dict.fromkeys(("tap", "chain"), "Continuity"),
    "latency": "Timing",
    "audit": "This audit",
    **dict.fromkeys(("plugin", "budget"), "Machines"),
}
OTHERS = "Names and sections"
# Pages where issues without a fix are decided, by the core's word for them → the name of their address, their own.
PLACES = {
    "map": ("map", "the map"),
    "ports": ("ports", "Ports"),
    "crosspoints": ("crosspoints", "Crosspoints"),
    "levels": ("levels", "Levels"),
    "timing": ("timing", "Timing"),
    "stems": ("stems", "Stems"),
    "settings": ("setup", "Settings"),
    "recordings": ("recordings-into", "recordings"),
}
NOWHERE = ("", "")


def family_of(code: str) -> str:
    """The family of a code, as people say it."""
    return FAMILIES.get(code) or FAMILIES.get(code.partition(".")[0], OTHERS)


@dataclass(frozen=True)
class Row:
    """An issue with its number on the map and in lists, and its place."""

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
    def look(self) -> str:
        """Its mark: the severity of blockers and mistakes, else the standing, which does not alarm."""
        return _look(self, self.matter.severity)

    @property
    def place(self) -> str:
        """The page where an issue without a fix is decided; empty if it has none of its own."""
        return PLACES.get(self.matter.place, NOWHERE)[0]

    @property
    def place_words(self) -> str:
        """The link to that page."""
        return f"Open {PLACES.get(self.matter.place, NOWHERE)[1]}"

    @property
    def measures(self) -> bool:
        """Return whether measured recordings would settle it."""
        return self.matter.standing == "assumed"

    @property
    def why(self) -> str:
        """A line of evidence; of several findings, that of the first."""
        if self.matter.code == "level.assumed":
            return self.first.message
        if len(self.matter.own) > 1:
            return self.first.message
        return self.first.evidence[0] if self.first.evidence else ""

    @property
    def family(self) -> str:
        return family_of(self.matter.code)

    @cached_property
    def remedies(self) -> list[Remedy]:
        """The fix that resolves most first."""
        return best_first(self.matter, self.effects)

    @property
    def foretold(self) -> list[tuple[Remedy, EffectSummary | None]]:
        """Fixes, each with its effect if computed."""
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
        """Routes to highlight with them: the subject of its first finding, and the cause."""
        return " ".join(dict.fromkeys((*self.first.routes, *self.first.path, *self.matter.cause)))

    @property
    def explained(self) -> Explanation | None:
        """The explanation of its code."""
        return EXPLANATIONS.get(self.matter.code)

    @property
    def content(self) -> int:
        """A number that changes with its content."""
        said = ((one.severity, one.message, one.evidence, tuple(one.figures.items())) for one in self.matter.findings)
        effects = tuple(remedy.key + (effect.sentence if effect else "") for remedy, effect in self.foretold)
        return hash((self.zone, self.look, self.matter.message, tuple(said), effects))


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
    worst = sorted(((_mark_rank(row, one), row, one) for row in rows for one in row.matter.findings), key=itemgetter(0))
    for _rank, row, one in worst:
        is_whole = row.matter.standing == "unfinished" and one.severity != "blocker"  # every strip of it waits
        for strip in one.strips if is_whole else one.strips[:1]:
            box = box_of.get(strip)
            if box and box not in found:
                found[box] = Mark(_look(row, one.severity), row.number, row.key)
    return found


def _look(row: Row, severity: str) -> str:
    """The mark of an issue, or of one finding of it."""
    return severity if severity == "blocker" or row.matter.standing == "wrong" else row.matter.standing


def _mark_rank(row: Row, finding: Finding) -> tuple[bool, int, int]:
    """Blockers first, then mistakes, what is unfinished, what is assumed."""
    standing, severity = STANDINGS.index(row.matter.standing), SEVERITIES.index(finding.severity)
    return finding.severity != "blocker", standing, severity


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
    """Fixes of the issue or finding with a fingerprint."""
    offering: tuple[Finding | Matter, ...] = (*space.matters, *space.audit.findings)
    for one in offering:
        if one.remedies and one.fingerprint == fingerprint:
            yield from ((one, remedy) for remedy in one.remedies)


def open_words(rows: list[Row], summary: dict[str, int]) -> str:
    """“64 findings in 33 issues, 1 waived”."""
    findings, waived = sum(summary[severity] for severity in SEVERITIES), summary["waived"]
    many = f"{findings} finding{pluralize(findings)}"
    if len(rows) < findings:
        many += f" in {len(rows)} issue{pluralize(len(rows))}"
    return f"{many}, {waived} waived" if waived else many


def row_of(space: Workspace, key: str, sheet: Sheet | None = None) -> Row | None:
    """The matter with a fingerprint, numbered."""
    return next((row for row in rows_of(space, sheet) if row.key == key), None)


def contents(row: Row, start: int = 0) -> dict[str, Any]:
    """The content of an expanded issue, a hundred of its findings at a time."""
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
