"""Waivers: which findings were decided on, and which decisions are about nothing any more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec.structs import replace

from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import explain
from lattice.model.document import Template
from lattice.model.edit_step import EditStep

UNFINISHED = "audit.unfinished"
STALE = "waiver.stale"  # looked for last, when all other findings are there


def with_waivers(template: Template, findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings, those that are waived marked so; then a note for each waiver that matches none of them."""
    waived = {waiver.fingerprint for waiver in template.waivers}
    seen = set()
    is_whole = True
    for finding in findings:
        is_whole = is_whole and finding.code != UNFINISHED
        is_waived = bool(waived) and finding.fingerprint in waived
        if is_waived:
            seen.add(finding.fingerprint)
        yield replace(finding, waived=True) if is_waived else finding
    for waiver in template.waivers if is_whole else ():  # what was not looked at may still be there
        if waiver.fingerprint not in seen:
            said = f"“{waiver.reason}”" if waiver.reason else "no reason is given"
            by = " ".join(filter(None, (waiver.by, waiver.on)))
            yield Finding(
                code=STALE,
                severity="note",
                message=f"A waiver matches nothing any more: {waiver.reason or waiver.fingerprint}",
                others=(waiver.fingerprint,),
                evidence=(said, *([f"by {by}"] if by else [])),
                remedies=(
                    Remedy("Drop the waiver", (EditStep("remove_waivers", {"fingerprints": [waiver.fingerprint]}),)),
                ),
            )


explain(
    UNFINISHED,
    many="{n} audits were stopped",
    found="The audit ran out of time before all checks were through.",
    why="What it does not list may still be wrong.",
    how="An audit has ten seconds; the checks it could not finish are named.",
    fix="Look at the shape of the template: knots of routes cost most.",
)

explain(
    STALE,
    many="{n} waivers match nothing any more",
    found="A waiver is about a finding that is not there any more.",
    why="Decisions pile up that nobody needs, and hide those that count.",
    how="Every waiver is compared with the findings of this audit.",
    fix="Drop the waiver, or renew it for what stands there now.",
)
