"""A template as a track sheet: everything its columns can say."""

from __future__ import annotations

from lattice.formats import table
from lattice.formats.track_sheet import COLUMNS
from lattice.model.document import KEYABLE_TYPES, Route, Source, Strip, Template


def dump(template: Template) -> bytes:
    """The sheet of a template: everything its columns can say, one row a strip, in order."""
    out = _Writer(template)
    return table.write([list(COLUMNS), *(out.row(strip) for strip in template.strips)])


class _Writer:
    def __init__(self, template: Template) -> None:
        self.sections = {section.id: section.name for section in template.sections}
        self.routes: dict[str, list[Route]] = {}
        self.keyable = {
            strip.id: [insert for insert in strip.inserts if insert.type in KEYABLE_TYPES] for strip in template.strips
        }
        for route in template.routes:
            if route.from_outlet is None:
                self.routes.setdefault(route.from_strip, []).append(route)

    def row(self, strip: Strip) -> list[str]:
        source = strip.source
        levels = ("off", "off") if source is None else ("", "")
        if isinstance(source, Source):
            levels = (f"{source.peak_dbfs:g}", f"{source.rms_dbfs:g}")
        return [
            strip.id, strip.name, strip.kind, strip.layout, self.sections.get(strip.section or "", ""),
            "; ".join(strip.tags), _level(strip.fader_db), f"{strip.pan:g}", "yes" if strip.mute else "no",
            self._routed(strip, "feed"), self._routed(strip, "send"), self._routed(strip, "key"),
            "; ".join(f"{i.type}:{i.latency_samples}" if i.latency_samples else i.type for i in strip.inserts),
            ", ".join(str(channel) for channel in strip.io or ()), *levels, strip.note,
        ]  # fmt: skip

    def _routed(self, strip: Strip, kind: str) -> str:
        return "; ".join(self._entry(route) for route in self.routes.get(strip.id, ()) if route.kind == kind)

    def _entry(self, route: Route) -> str:
        place = f"{route.to}/{self._insert_word(route)}" if route.kind == "key" else route.to
        plain_feed = route.kind == "feed" and route.gain_db == 0
        tap = "" if route.tap == "post-fader" else f" {route.tap}"
        return f"{place}{tap}" if plain_feed else f"{place}@{_level(route.gain_db)}{tap}"

    def _insert_word(self, route: Route) -> str:
        """What a key calls its insert: its id, or its type where that tells it from the strip's others."""
        able = self.keyable[route.to]
        keyed = next(insert for insert in able if insert.id == route.to_insert)
        is_told = len(able) > 1 and sum(insert.type == keyed.type for insert in able) == 1
        return keyed.type if is_told else keyed.id


def _level(level_db: float | None) -> str:
    return "off" if level_db is None else f"{level_db:g}"
