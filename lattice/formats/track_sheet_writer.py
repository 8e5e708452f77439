"""A template as a track sheet: everything its columns can say."""

from __future__ import annotations

from collections.abc import Collection

from lattice.formats import table
from lattice.formats.insert_cells import insert_text, usual_ids
from lattice.formats.tables.reader import COLUMNS, OUTBOARD
from lattice.formats.track_sheet_cells import (
    level_text,
    midi_in_text,
    number_text,
    outlet_text,
    part_text,
    route_text,
    tags_text,
)
from lattice.model.document import Route, Source, Strip, Template


def dump(template: Template) -> bytes:
    """The sheet of a template: every value that has a column, one row a strip, in order."""
    out = _Writer(template)
    return table.write([list(COLUMNS), *(out.row(strip) for strip in template.strips)])


def cells_of_strips(template: Template, wanted: Collection[str]) -> dict[str, dict[str, str]]:
    """The cells of some strips in a sheet: id → column → cell, as it would be parsed."""
    out = _Writer(template)
    rows = ((strip.id, out.row(strip)) for strip in template.strips if strip.id in wanted)
    return {strip: dict(zip(COLUMNS, map(str.strip, cells), strict=True)) for strip, cells in rows}


class _Writer:
    def __init__(self, template: Template) -> None:
        self.sections = {section.id: section.name for section in template.sections}
        self.machines = {
            machine.id: f"{machine.name} {OUTBOARD}" if machine.kind == "outboard" else machine.name
            for machine in template.machines[1:]
        }
        self.routes: dict[str, list[Route]] = {}
        self.keyable = {
            strip.id: [insert for insert in strip.inserts if insert.traits.can_be_keyed] for strip in template.strips
        }
        self.keyed = {route.to_insert for route in template.routes if route.kind == "key"}
        for route in template.routes:
            self.routes.setdefault(route.from_strip, []).append(route)

    def row(self, strip: Strip) -> list[str]:
        source = strip.source
        levels = ("off", "off") if source is None else ("", "")
        if isinstance(source, Source):
            levels = (number_text(source.peak_dbfs), number_text(source.rms_dbfs))
        return [
            strip.id, strip.name, strip.kind, strip.layout, self.sections.get(strip.section or "", ""),
            self.machines.get(strip.machine or "", ""), tags_text(strip.tags), level_text(strip.fader_db),
            number_text(strip.pan), "yes" if strip.mute else "no", "" if strip.monitor == "never" else strip.monitor,
            *(self._routed(strip, kind) for kind in ("feed", "send", "key", "tie", "midi")),
            self._inserts(strip), ", ".join(map(str, strip.io or ())), midi_in_text(strip.midi),
            "; ".join(map(outlet_text, strip.outlets)), "; ".join(map(part_text, strip.parts)), *levels, strip.note,
            strip.colour or "", "" if strip.in_service else "no", "yes" if strip.invert else "",
            "yes" if strip.armed else "", "" if strip.records == "in" else strip.records,
            str(strip.latency_samples or ""), _or_nothing(strip.measured_latency_samples), _or_nothing(strip.memory_mb),
        ]  # fmt: skip

    def _inserts(self, strip: Strip) -> str:
        usual = usual_ids(strip.id, (insert.type for insert in strip.inserts))
        return "; ".join(
            insert_text(insert, own, is_keyed=insert.id in self.keyed)
            for insert, own in zip(strip.inserts, usual, strict=True)
        )

    def _routed(self, strip: Strip, kind: str) -> str:
        routes = (route for route in self.routes.get(strip.id, ()) if route.kind == kind)
        return "; ".join(route_text(route, self._place(route)) for route in routes)

    def _place(self, route: Route) -> str:
        """The destination of a route; for a key its insert too: its id, or its type if that is unique."""
        if route.kind != "key":
            return route.to
        able = self.keyable[route.to]
        keyed = next(insert for insert in able if insert.id == route.to_insert)
        is_told = len(able) > 1 and sum(insert.type == keyed.type for insert in able) == 1
        return f"{route.to}/{keyed.type if is_told else keyed.id}"


def _or_nothing(value: float | None) -> str:
    return "" if value is None else number_text(value)
