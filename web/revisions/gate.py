"""The gate: the conditions between a revision and its release."""

from __future__ import annotations

from dataclasses import dataclass

from lattice.changes.digests import section_digests
from web.bench.services import is_required, newest_reading
from web.remarks import services as remarks
from web.revisions.models import Revision, Tick
from web.shelf.workspace import Workspace


@dataclass(frozen=True)
class GateCondition:
    """One condition, met or not, and where to see to it (the name of a place)."""

    words: str
    is_met: bool
    place: str = "findings"


@dataclass(frozen=True)
class SectionApproval:
    """A section with its approval; `is_good`: valid for the current version, and not by the revision's creator."""

    id: str
    name: str
    digest: str
    tick: Tick | None
    is_good: bool
    has_lapsed: bool

    @property
    def state(self) -> str:
        """The reason why an approval is void, shown after its date."""
        if self.tick is None or self.is_good:
            return ""
        return "; void: the section has changed since" if self.has_lapsed else "; created the revision"


def ticked(space: Workspace, template_pk: int, sealed_by: int | None = None) -> list[SectionApproval]:
    """Every section of a state with its tick; good is that of another account than the one that sealed it."""
    ticks = {tick.section: tick for tick in Tick.objects.filter(template=template_pk)}
    digests, sections = section_digests(space.template), []
    names = {section.id: section.name for section in space.template.sections} | {"": "No section"}
    for section_id, name in names.items():
        digest = digests.get(section_id)
        if digest is None:
            continue
        tick = ticks.get(section_id)
        same = tick is not None and tick.digest == digest
        other = tick is not None and tick.user_id is not None and tick.user_id != sealed_by
        sections.append(SectionApproval(section_id, name, digest, tick, same and other, tick is not None and not same))
    return sections


def gate(space: Workspace, revision: Revision) -> list[GateCondition]:
    """All conditions of a release, in the order in which people see to them."""
    counts = space.audit.summary
    stale = sum(finding.code == "waiver.stale" for finding in space.audit.findings)
    sections = ticked(space, revision.template_id, revision.user_id)
    left = [one.name for one in sections if not one.is_good]
    own = [one.name for one in sections if one.tick and not one.has_lapsed and not one.is_good]
    many = counts["blocker"], counts["warning"]
    matters = [_in_matters(space, severity, counts[severity]) for severity in ("blocker", "warning")]
    by_whom = f"; {', '.join(own)} by {revision.by}, the creator of the revision" if own else ""
    return [
        GateCondition(_count(many[0], "blocker", f"open{matters[0]}"), not many[0]),
        GateCondition(
            _count(many[1], "warning", f"not fixed or waived{matters[1]}")
            if many[1]
            else "all warnings fixed or waived",
            not many[1],
        ),
        GateCondition(
            _count(stale, "waiver", "without a finding") if stale else "all waivers apply", not stale, "hygiene"
        ),
        GateCondition(
            f"not approved by a second person: {', '.join(left)}{by_whom}"
            if left
            else f"{_all(len(sections))} approved by a second person",
            not left,
            "revisions",
        ),
        *_prints(revision),
        *_remarks(revision),
    ]


def _prints(revision: Revision) -> list[GateCondition]:
    """A clean reading of the prints of this version, if the template requires one."""
    if not is_required(revision.template):
        return []
    reading = newest_reading(revision.template, revision.digest)
    if reading is None:
        return [GateCondition("no reading of the prints of this version", False, "bench")]
    matters = reading.content["summary"]["matters"]
    words = f"{_count(matters, 'issue', 'in the newest reading of its prints')}"
    return [GateCondition(words, not matters, "bench")]


def _remarks(revision: Revision) -> list[GateCondition]:
    """No open comment, if the template requires that."""
    if not remarks.is_required(revision.template):
        return []
    number = remarks.open_count(revision.template)
    return [GateCondition(_count(number, "comment", "open"), not number, "people")]


def _in_matters(space: Workspace, severity: str, findings: int) -> str:
    """In how many matters findings of a severity are, where they are fewer."""
    number = sum(any(one.severity == severity for one in matter.findings) for matter in space.matters)
    return f" ({number} issue{'' if number == 1 else 's'})" if number < findings else ""


def _all(number: int) -> str:
    return f"all {number} sections" if number > 1 else "the whole template"


def _count(number: int, word: str, words: str) -> str:
    return f"{number or 'no'} {word}{'' if number == 1 else 's'} {words}"
