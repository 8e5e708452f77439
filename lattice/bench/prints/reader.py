"""Read the prints of a kit: the start of each, its contents, and the simplest explanation of all differences."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from lattice.analysis import Analysis
from lattice.bench.kit.slots import Kit
from lattice.bench.prints.cells import PrintCells
from lattice.bench.prints.codes import OFFSET
from lattice.bench.prints.differences import DELAY
from lattice.bench.prints.files import Matched, OpenPrint, PrintFiles, match
from lattice.bench.prints.model import Outs, Printed, expected, printed, read_all
from lattice.bench.prints.offsets import (
    NOTE_SAMPLES,
    best_offset,
    expected_places,
    offsets_by_votes,
    slot_weights,
    votes,
)
from lattice.bench.prints.reading import (
    PrintRead,
    Reading,
    SlotRead,
    check_kit,
    rows_of,
)
from lattice.bench.prints.slot_reading import came_at, first_present
from lattice.bench.prints.verdict import Verdict, judge
from lattice.bench.progress import Progress, StepProgress, no_progress
from lattice.changes.digests import document_digest
from lattice.errors import DocumentError

A_PART = 0.2  # of a print's sources that are where those of other prints are: the print itself is not late
MOST_SHORT_S = 0.25  # that a print may end before the last slot's tone has
NEAR_S = 0.25  # unknown latencies are shorter, and slots are farther apart
MOST_OTHERS = 3  # offsets that are tried beside the one most slots speak for


def read_prints(
    analysis: Analysis,
    kit: Kit,
    paths: Sequence[Path],
    assigned: dict[str, str] | None = None,
    progress: StepProgress = no_progress,
) -> Reading:
    """Reads prints of a kit.

    Parameters
    ----------
    analysis, kit
        Of the template that was printed, and the kit that was made for it.
    paths
        The files.
    assigned
        Name of a file → stem, as the user chose it.
    progress
        Called with the share that is done and the current step; an exception it raises ends the reading.

    Raises
    ------
    DocumentError
        Where the kit is of another template, or nothing is printed.
    """
    check_kit(analysis, kit)
    prints = printed(analysis.graph)
    if not prints:
        raise DocumentError(["no stem of the template has an enabled print strip"])
    matched = match(analysis.graph, prints, paths, assigned)
    wanted = expected(analysis.template, kit, lambda share: progress(share * 0.4, "Rendering the map"))
    cells, problems = _all_cells(kit, prints, matched, lambda share: progress(0.4 + share * 0.6, "Reading prints"))
    return reading_of(analysis, kit, prints, wanted, cells, matched, problems)


def _all_cells(
    kit: Kit, prints: Sequence[Printed], matched: Matched, progress: Progress
) -> tuple[dict[str, PrintCells], dict[str, str]]:
    """Every print that can be read, gone through; and why others cannot."""
    cells: dict[str, PrintCells] = {}
    problems: dict[str, str] = {}
    there = [one for one in prints if one.stem.id in matched.prints]
    for done, one in enumerate(there):
        try:
            cells[one.stem.id] = read_cells(
                kit, matched.prints[one.stem.id], one.channels,
                lambda share, done=done: progress((done + share) / len(there)),  # type: ignore[misc]
            )  # fmt: skip
        except DocumentError as wrong:
            problems[one.stem.id] = wrong.problems[0]
    return cells, problems


def read_cells(kit: Kit, files: PrintFiles, channels: int, progress: Progress = no_progress) -> PrintCells:
    """One print, gone through. Raises DocumentError where it cannot be read."""
    with OpenPrint(files, kit.sample_rate_hz, channels) as file:
        cells = PrintCells(channels, kit.burst.order, kit.turns)
        for block in file.stretches():
            cells.feed(block)
            progress(min(cells.frames / file.frames, 1.0))
    cells.finish()
    return cells


def reading_of(
    analysis: Analysis,
    kit: Kit,
    prints: Sequence[Printed],
    wanted: Mapping[str, Outs],
    cells: Mapping[str, PrintCells],
    matched: Matched,
    problems: Mapping[str, str],
) -> Reading:
    """A reading from prints that have been gone through.

    Where something is not in step, it is read once more from each other offset that prints speak for, and the
    reading that is explained most simply is taken (`_simplicity`): the source that is late in most prints may speak
    louder for its own offset than all that are in time.
    """
    gone_through = _GoneThrough(analysis, kit, prints, wanted, cells, matched, problems)
    first, *others = offsets_by_votes(gone_through.said.values(), round(NEAR_S * kit.sample_rate_hz))
    reading = gone_through.read_from(first)
    verdict = judge(analysis, kit, reading)
    if not any(one.code in (DELAY, OFFSET) for one in verdict.findings):
        return reading
    tried = [(_simplicity(verdict), reading)]
    for whole in others[:MOST_OTHERS]:
        again = gone_through.read_from(whole)
        tried.append((_simplicity(judge(analysis, kit, again)), again))
    return min(tried, key=lambda one: one[0])[1]


def _simplicity(verdict: Verdict) -> tuple[int, int, int, int]:
    """How much a reading asks one to believe, the least first: matters, early arrivals, strips, findings.

    Without compensation nothing arrives early, so lateness goes before earliness.
    """
    findings = verdict.findings
    delays = [one for one in findings if one.code == DELAY]
    early = sum((one.figures.get("late_samples") or 0) < 0 for one in delays)
    strips = {one.strips or one.stems for one in findings if one.code in (DELAY, OFFSET)}
    return verdict.summary["matters"], early, len(strips), len(findings)


@dataclass(frozen=True)
class _GoneThrough:
    """Prints that have been gone through, to be read from one offset or another."""

    analysis: Analysis
    kit: Kit
    prints: Sequence[Printed]
    wanted: Mapping[str, Outs]
    cells: Mapping[str, PrintCells]
    matched: Matched
    problems: Mapping[str, str]

    @cached_property
    def said(self) -> dict[str, dict[int, float]]:
        """Print → offset → how many slots speak for it."""
        return {
            stem: votes(self.kit, cells, expected_places(self.kit, self.wanted[stem]))
            for stem, cells in self.cells.items()
        }

    def read_from(self, whole: int) -> Reading:
        """A reading in which most prints begin at one offset."""
        reads: list[PrintRead] = []
        slots: list[SlotRead] = []
        for one in self.prints:
            stem = one.stem.id
            files = tuple(path.name for path in self.matched.prints[stem].paths) if stem in self.matched.prints else ()
            if stem not in self.cells:
                problem = self.problems.get(stem, "it has no file")
                reads.append(PrintRead(stem=stem, files=files, channels=one.channels, problem=problem))
                continue
            guess = best_offset(self.said[stem], whole)
            offset, outs = _settled(
                self.kit, self.cells[stem], self.wanted[stem], whole if guess is None else guess, whole
            )
            problem = _too_short(self.kit, self.cells[stem].frames, offset)
            if problem:
                problem = f"{files[0]} {problem}"
                reads.append(PrintRead(stem=stem, files=files, channels=one.channels, problem=problem))
                continue
            reads.append(PrintRead(stem=stem, files=files, channels=one.channels, offset_samples=offset))
            slots += rows_of(self.kit, stem, outs)
        model = [row for stem, outs in self.wanted.items() for row in rows_of(self.kit, stem, outs)]
        return Reading(
            template=document_digest(self.analysis.template), kit=self.kit.digest, prints=tuple(reads),
            slots=tuple(slots), expected=tuple(model), unmatched=self.matched.unmatched,
        )  # fmt: skip


def _too_short(kit: Kit, frames: int, offset: int) -> str:
    """Why a print does not hold the whole kit: it ends before the last slot has sounded; empty where it does."""
    least = max(slot.begins_at for slot in kit.slots) + offset + round(MOST_SHORT_S * kit.sample_rate_hz)
    if frames >= least:
        return ""
    has, needs = (count / kit.sample_rate_hz for count in (frames, kit.length_samples + max(offset, 0)))
    return f"is shorter than the kit: {has:.1f} s of {needs:.1f} s"


def _settled(kit: Kit, cells: PrintCells, wanted: Outs, offset: int, whole: int) -> tuple[int, Outs]:
    """Slots read at the offset of a print, and that offset.

    It is that of all prints where a part of its sources agrees on it, since then the others are late by themselves;
    else the one that most of them agree on.
    """
    outs: Outs = read_all(kit, cells, offset)
    weight = slot_weights(kit)
    late: dict[int, float] = {}
    for slot, read in outs.items():
        mine, model = first_present(read), first_present(wanted.get(slot, ()))
        came = came_at(mine) if mine else None
        wants = came_at(model) if model else None
        if came is not None and wants is not None:
            late[came - wants] = late.get(came - wants, 0.0) + weight[slot]
    count = sum(late.values())
    shift = whole - offset
    if count and late.get(shift, 0.0) >= A_PART * count:
        return (offset, outs) if not shift else (whole, read_all(kit, cells, whole))
    most = max(late, key=lambda samples: (late[samples], -abs(samples)), default=0)
    if abs(most) <= NOTE_SAMPLES and math.isclose(late.get(0, 0.0), late.get(most, 0.0)):
        return offset, outs
    if most and late[most] * 2 > count:
        return offset + most, read_all(kit, cells, offset + most)
    return offset, outs
