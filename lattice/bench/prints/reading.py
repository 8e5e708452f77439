"""A reading: what prints of a kit hold, against what the template says; as JSON."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

import msgspec

from lattice.analysis import Analysis
from lattice.bench.kit.slots import Kit
from lattice.bench.prints.cells import PrintCells
from lattice.bench.prints.files import Matched, OpenPrint, PrintFiles, match
from lattice.bench.prints.model import Outs, Printed, expected, printed, read_all
from lattice.bench.prints.offsets import (
    NOTE_SAMPLES,
    best_offset,
    expected_places,
    votes,
    whole_offset,
)
from lattice.bench.prints.slot_reading import Out, came_at, first_present
from lattice.changes.digests import document_digest
from lattice.errors import DocumentError

A_PART = 0.2  # of a print's slots that are where those of other prints are: the print itself is not late
MOST_SHORT_S = 0.25  # that a print may end before the last slot's tone has


class PrintRead(msgspec.Struct, frozen=True, kw_only=True):
    """One print: its files, and how late it begins; or why it could not be read."""

    stem: str
    files: tuple[str, ...] = ()
    channels: int
    offset_samples: int = 0
    problem: str = ""


class SlotRead(msgspec.Struct, frozen=True, kw_only=True):
    """One slot in one print."""

    source: str
    outlet: str | None
    channel: int | None
    stem: str
    slot: int
    out: tuple[Out, ...]


class Reading(msgspec.Struct, frozen=True, kw_only=True):
    """What prints hold. Findings are the verdict's (lattice.bench.prints.verdict)."""

    format: Literal["intact-lattice.reading"] = "intact-lattice.reading"
    version: Literal[1] = 1
    template: str
    kit: str
    prints: tuple[PrintRead, ...]
    slots: tuple[SlotRead, ...]
    expected: tuple[SlotRead, ...] = ()
    unmatched: dict[str, str] = {}

    def by_stem(self, *, model: bool = False) -> dict[str, Outs]:
        """Stem → slot → what is in each channel; of the model's own rendering, where that is asked for."""
        found: dict[str, dict[int, tuple[Out, ...]]] = {}
        for one in self.expected if model else self.slots:
            found.setdefault(one.stem, {})[one.slot] = one.out
        return found  # type: ignore[return-value]


Told = Callable[[float, str], object]


def nobody_told(_share: float, _words: str) -> None:
    """Nobody is told how far it is."""


def check_kit(analysis: Analysis, kit: Kit) -> None:
    """Raises DocumentError where a kit is of another template, or of another rate."""
    template = analysis.template
    if kit.template != document_digest(template):
        lacking = [slot.source for slot in kit.slots if slot.source not in analysis.graph.index]
        if lacking:
            raise DocumentError([f"the kit was made for another template: this one has no strip {lacking[0]}"])
        raise DocumentError(["the kit was made for another state of this template: read it against that one"])
    if kit.sample_rate_hz != template.sample_rate_hz:
        raise DocumentError([f"the kit has {kit.sample_rate_hz} Hz; the template has {template.sample_rate_hz}"])


def read_prints(
    analysis: Analysis,
    kit: Kit,
    paths: Sequence[Path],
    assigned: dict[str, str] | None = None,
    told: Told = nobody_told,
) -> Reading:
    """Reads prints of a kit.

    Parameters
    ----------
    analysis, kit
        Of the template that was printed, and the kit that was made for it.
    paths
        The files.
    assigned
        Name of a file → stem, where somebody says so.
    told
        Is told the share that is done and what is being done; what it raises ends the reading.

    Raises
    ------
    DocumentError
        Where the kit is of another template, or nothing is printed.
    """
    check_kit(analysis, kit)
    prints = printed(analysis.graph)
    if not prints:
        raise DocumentError(["no stem of the template has a print strip in service"])
    matched = match(analysis.graph, prints, paths, assigned)
    wanted = expected(analysis.template, kit, lambda share: told(share * 0.4, "The model is played"))
    cells, problems = _all_cells(kit, prints, matched, lambda share: told(0.4 + share * 0.6, "Prints are read"))
    return reading_of(analysis, kit, prints, wanted, cells, matched, problems)


def _all_cells(
    kit: Kit, prints: Sequence[Printed], matched: Matched, told: Callable[[float], object]
) -> tuple[dict[str, PrintCells], dict[str, str]]:
    """Every print that can be read, gone through; and why others cannot."""
    cells: dict[str, PrintCells] = {}
    problems: dict[str, str] = {}
    there = [one for one in prints if one.stem.id in matched.prints]
    for done, one in enumerate(there):
        try:
            cells[one.stem.id] = read_cells(
                kit, matched.prints[one.stem.id], one.channels,
                lambda share, done=done: told((done + share) / len(there)),  # type: ignore[misc]
            )  # fmt: skip
        except DocumentError as wrong:
            problems[one.stem.id] = wrong.problems[0]
    return cells, problems


def read_cells(
    kit: Kit, files: PrintFiles, channels: int, told: Callable[[float], object] = lambda _share: None
) -> PrintCells:
    """One print, gone through. Raises DocumentError where it cannot be read."""
    with OpenPrint(files, kit.sample_rate_hz, channels) as file:
        cells = PrintCells(channels, kit.burst.order, kit.turns)
        for block in file.stretches():
            cells.feed(block)
            told(min(cells.frames / file.frames, 1.0))
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
    """A reading from prints that have been gone through."""
    places = {stem: expected_places(kit, wanted[stem]) for stem in cells}
    said = {stem: votes(kit, cells[stem], places[stem]) for stem in cells}
    whole = whole_offset(said.values())
    reads: list[PrintRead] = []
    slots: list[SlotRead] = []
    for one in prints:
        stem = one.stem.id
        files = tuple(path.name for path in matched.prints[stem].paths) if stem in matched.prints else ()
        if stem not in cells:
            problem = problems.get(stem, "no file is of it")
            reads.append(PrintRead(stem=stem, files=files, channels=one.channels, problem=problem))
            continue
        guess = best_offset(said[stem], whole)
        offset, outs = _settled(kit, cells[stem], wanted[stem], whole if guess is None else guess, whole)
        problem = _too_short(kit, cells[stem].frames, offset)
        if problem:
            problem = f"{files[0]} {problem}"
            reads.append(PrintRead(stem=stem, files=files, channels=one.channels, problem=problem))
            continue
        reads.append(PrintRead(stem=stem, files=files, channels=one.channels, offset_samples=offset))
        slots += _rows(kit, stem, outs)
    model = [row for stem, outs in wanted.items() for row in _rows(kit, stem, outs)]
    return Reading(
        template=document_digest(analysis.template), kit=kit.digest, prints=tuple(reads), slots=tuple(slots),
        expected=tuple(model), unmatched=matched.unmatched,
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

    It is that of all prints where a part of its slots agrees on it, since then the others are late by themselves; else
    the one that most of its slots agree on.
    """
    outs: Outs = read_all(kit, cells, offset)
    late: dict[int, int] = {}
    for slot, read in outs.items():
        mine, model = first_present(read), first_present(wanted.get(slot, ()))
        came = came_at(mine) if mine else None
        wants = came_at(model) if model else None
        if came is not None and wants is not None:
            late[came - wants] = late.get(came - wants, 0) + 1
    count = sum(late.values())
    shift = whole - offset
    if count and late.get(shift, 0) >= A_PART * count:
        return (offset, outs) if not shift else (whole, read_all(kit, cells, whole))
    most = max(late, key=lambda samples: (late[samples], -abs(samples)), default=0)
    if abs(most) <= NOTE_SAMPLES and late.get(0, 0) == late.get(most, 0):
        return offset, outs
    if most and late[most] * 2 > count:
        return offset + most, read_all(kit, cells, offset + most)
    return offset, outs


def _rows(kit: Kit, stem: str, outs: Outs) -> list[SlotRead]:
    return [
        SlotRead(
            source=slot.source, outlet=slot.outlet, channel=slot.channel, stem=stem, slot=slot.slot,
            out=outs.get(slot.slot, ()),
        )
        for slot in kit.slots
    ]  # fmt: skip


def from_json(data: bytes, analysis: Analysis, kit: Kit, told: Told = nobody_told) -> Reading:
    """A reading that was made elsewhere, with what is expected of it worked out anew.

    Raises
    ------
    DocumentError
        Where it is none, or of another kit.
    """
    check_kit(analysis, kit)
    try:
        plain = msgspec.json.decode(data)
        known = {field: plain[field] for field in Reading.__struct_fields__ if field in plain}
        found = msgspec.convert({**known, "expected": ()}, Reading)
    except (msgspec.DecodeError, msgspec.ValidationError, TypeError) as wrong:
        raise DocumentError([f"it is no reading: {wrong}"]) from None
    if found.kit != kit.digest:
        raise DocumentError(["the reading is of another kit"])
    prints = {one.stem.id: one.channels for one in printed(analysis.graph)}
    slots = {slot.slot for slot in kit.slots}
    wrong_rows = [row for row in found.slots if row.stem not in prints or row.slot not in slots]
    if wrong_rows or any(one.stem not in prints for one in found.prints):
        raise DocumentError(["the reading names prints or slots that there are not"])
    wanted = expected(analysis.template, kit, lambda share: told(share, "The model is played"))
    model = [row for stem, outs in wanted.items() for row in _rows(kit, stem, outs)]
    return msgspec.structs.replace(found, expected=tuple(model))


def as_json(reading: Reading, more: Mapping[str, Any]) -> bytes:
    """`read-prints --json`: what is read, and what is found."""
    plain = msgspec.to_builtins(reading)
    del plain["expected"]
    for row in plain["slots"]:
        row["out"] = [_plain_out(one) for one in row["out"]]
    return msgspec.json.format(msgspec.json.encode({**plain, **more}), indent=1)


def _plain_out(out: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in out.items() if value is not None or out["present"]}
