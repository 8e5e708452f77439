"""Findings that rest on levels nobody stated: their standing, and the one issue of all of them.

A finding of levels has the severity that it has with every assumed source silent. Where it would not be found then at
all, it is a note, and says what would be if the assumption is right (docs/reference/causes.md, *Standing*).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from lattice.analysis import SILENT_DBFS, Analysis
from lattice.checks.finding import Finding, Remedy, Severity, Standing
from lattice.checks.registry import ISSUES, IssueKind, explain
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.stated_share import NONE
from lattice.model.document import USUAL_SOURCE
from lattice.model.edit_step import EditStep
from lattice.model.units import decibels

ASSUMED = "assumed"
CODE = "level.assumed"
# Between these peaks an assumed source may turn out to be (RMS 12 dB below).
LOWEST_DBFS, HIGHEST_DBFS = -60.0, 0.0
MARGIN_DB = 0.01  # kept from a bound, so that rounding decides nothing
SAFE_PEAK_DBFS, SAFE_RMS_DBFS = -12.0, -20.0  # what people state for all where nothing is known (common practice)
Judge = Callable[[Levels], Severity | None]


class Stands(NamedTuple):
    """Severity and standing of a finding of levels, and the issue it belongs to."""

    severity: Severity
    standing: Standing = "wrong"
    issue: str = ""

    @property
    def is_assumed(self) -> bool:
        """Return whether it rests on assumed levels."""
        return self.standing == "assumed"

    @property
    def fields(self) -> dict[str, Any]:
        """As fields of a finding."""
        return {"severity": self.severity, "standing": self.standing, "issue": self.issue}


AS_NOTE = Stands("note", "assumed", ASSUMED)


def standing(
    analysis: Analysis, strip: int, severity: Severity, judge: Judge, *, peak_db: float = 0.0, likely_db: float = 0.0
) -> Stands:
    """The severity and standing of a finding of levels.

    Parameters
    ----------
    analysis
        The analysis.
    strip
        The strip whose level it is about.
    severity
        Its severity at the levels as they are, assumed ones included.
    judge
        Its severity at other levels; None where it would not be found.
    peak_db, likely_db
        How far P or Q is above the limit of the finding; 0 if it does not depend on it. Where the bounds of the stated
        share decide, nothing else is computed.
    """
    if not analysis.rests_on_assumed(strip):
        return Stands(severity)
    shares = analysis.stated_share
    if shares.peak.get(strip) == NONE:
        return AS_NOTE  # all of it is assumed
    for share, above_db in ((shares.peak.get(strip), peak_db), (shares.likely.get(strip), likely_db)):
        if share is not None and above_db > MARGIN_DB:
            if decibels(share.least) + above_db > MARGIN_DB:
                return Stands(severity)
            if severity == "note" and decibels(share.most) + above_db < -MARGIN_DB:
                return AS_NOTE
    stated = judge(analysis.levels_if_assumed(SILENT_DBFS))
    return Stands(stated) if stated is not None else AS_NOTE


def if_louder(analysis: Analysis, severity: Severity, rests: bool, judge: Judge) -> Stands:
    """The same of a finding that says too quiet: assumed where full-scale assumed sources would take it away."""
    if not rests or judge(analysis.levels_if_assumed(HIGHEST_DBFS)) is not None:
        return Stands(severity)
    return AS_NOTE


def _words(analysis: Analysis, findings: Sequence[Finding]) -> str:
    """“Levels of 14 of 20 sources are assumed (−6 dBFS peak): if they are right, Out 1–2 clips …”."""
    assumed, every = len(analysis.assumed_sources), len(analysis.sources)
    worst = min(findings, key=lambda one: (_rank(one), -(one.figures.get("likely_dbfs") or -200.0)))
    said = worst.because or worst.message
    more = f", and {len(findings) - 1} more" if len(findings) > 1 else ""
    many = f"Levels of {assumed} of {every} sources are assumed" if every > 1 else "The level of 1 source is assumed"
    they = "they are" if every > 1 else "it is"
    return f"{many} ({_whole(USUAL_SOURCE.peak_dbfs)} dBFS peak): if {they} right, {said}{more}"


def _whole(level_db: float) -> str:
    return f"{level_db:g}".replace("-", "−")


def _rank(finding: Finding) -> int:
    """What clips comes before what only lacks room."""
    order = ("level.over", "level.headroom", "level.ceiling")
    return order.index(finding.code) if finding.code in order else len(order)


def _fixes(analysis: Analysis, _findings: Sequence[Finding]) -> Iterator[Remedy]:
    strips = list(dict.fromkeys(analysis.strip(strip).id for strip, _outlet in analysis.assumed_sources))
    if strips:
        yield Remedy("State the assumed levels as they are", (EditStep("state_levels", {"strips": strips}),))
        levels = {"peak_dbfs": SAFE_PEAK_DBFS, "rms_dbfs": SAFE_RMS_DBFS}
        label = f"State {_whole(SAFE_PEAK_DBFS)} dBFS peak, {_whole(SAFE_RMS_DBFS)} dBFS RMS for all of them"
        yield Remedy(label, (EditStep("state_levels", {"strips": strips, **levels}),))


ISSUES[ASSUMED] = IssueKind(ASSUMED, CODE, _words, _fixes)

explain(
    CODE,
    many="{n} findings rest on assumed levels",
    found="A finding about levels that is not found with every source without a stated level silent.",
    why="The figures are exact for a guess. Measured recordings may say something else.",
    how=(
        "Levels are computed twice, with and without the sources that state no level. The usual level is −6 dBFS "
        "peak, −18 dBFS RMS."
    ),
    fix="Measure recordings, or state the levels of the sources.",
    decide="Only you know the levels of these sources. Measure recordings, or state them.",
    place="recordings",
)
