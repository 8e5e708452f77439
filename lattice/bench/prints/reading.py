"""A reading: the contents of the prints of a kit against the template, as JSON."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

import msgspec

from lattice.analysis import Analysis
from lattice.bench.kit.slots import Kit
from lattice.bench.prints.model import Outs, expected, printed
from lattice.bench.prints.slot_reading import Out
from lattice.bench.progress import StepProgress, no_progress
from lattice.changes.digests import document_digest
from lattice.errors import DocumentError


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
    """The contents of prints. Findings come from lattice.bench.prints.verdict."""

    format: Literal["intact-lattice.reading"] = "intact-lattice.reading"
    version: Literal[1] = 1
    template: str
    kit: str
    prints: tuple[PrintRead, ...]
    slots: tuple[SlotRead, ...]
    expected: tuple[SlotRead, ...] = ()
    unmatched: dict[str, str] = {}

    def by_stem(self, *, model: bool = False) -> dict[str, Outs]:
        """Stem → slot → the reading of each channel; of the model's own rendering on request."""
        found: dict[str, dict[int, tuple[Out, ...]]] = {}
        for one in self.expected if model else self.slots:
            found.setdefault(one.stem, {})[one.slot] = one.out
        return found  # type: ignore[return-value]


def check_kit(analysis: Analysis, kit: Kit) -> None:
    """Raises DocumentError where a kit is of another template, or of another rate."""
    template = analysis.template
    if kit.template != document_digest(template):
        lacking = [slot.source for slot in kit.slots if slot.source not in analysis.graph.index]
        if lacking:
            raise DocumentError([f"the pilot kit is of a different template: this one has no strip {lacking[0]}"])
        raise DocumentError(["the pilot kit is of a different version of this template. Compare it with that version."])
    if kit.sample_rate_hz != template.sample_rate_hz:
        raise DocumentError([f"the kit has {kit.sample_rate_hz} Hz; the template has {template.sample_rate_hz}"])


def rows_of(kit: Kit, stem: str, outs: Outs) -> list[SlotRead]:
    """The contents of every slot of a kit in a print, as rows of a reading."""
    return [
        SlotRead(
            source=slot.source, outlet=slot.outlet, channel=slot.channel, stem=stem, slot=slot.slot,
            out=outs.get(slot.slot, ()),
        )
        for slot in kit.slots
    ]  # fmt: skip


def from_json(data: bytes, analysis: Analysis, kit: Kit, progress: StepProgress = no_progress) -> Reading:
    """A reading from elsewhere, with its expected values computed again.

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
        raise DocumentError([f"it is not a reading: {wrong}"]) from None
    if found.kit != kit.digest:
        raise DocumentError(["the reading is of a different pilot kit"])
    prints = {one.stem.id: one.channels for one in printed(analysis.graph)}
    slots = {slot.slot for slot in kit.slots}
    wrong_rows = [row for row in found.slots if row.stem not in prints or row.slot not in slots]
    if wrong_rows or any(one.stem not in prints for one in found.prints):
        raise DocumentError(["the reading contains unknown prints or slots"])
    wanted = expected(analysis.template, kit, lambda share: progress(share, "Rendering the map"))
    model = [row for stem, outs in wanted.items() for row in rows_of(kit, stem, outs)]
    return msgspec.structs.replace(found, expected=tuple(model))


def as_json(reading: Reading, more: Mapping[str, Any]) -> bytes:
    """`read-prints --json`: the reading and its findings."""
    plain = msgspec.to_builtins(reading)
    del plain["expected"]
    for row in plain["slots"]:
        row["out"] = [_plain_out(one) for one in row["out"]]
    return msgspec.json.format(msgspec.json.encode({**plain, **more}), indent=1)


def _plain_out(out: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in out.items() if value is not None or out["present"]}
