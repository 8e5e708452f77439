"""Waivers: which findings were decided on, and which decisions are about nothing any more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec.structs import replace

from lattice.checks.finding import Finding, Remedy
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
