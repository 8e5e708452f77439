"""A short notation for templates in Python."""

from __future__ import annotations

from typing import Any

import msgspec

from lattice.model.document import FORMAT, Template
from lattice.model.validate import validate


class Builder:
    """Collects the pieces of a document as plain values, in the order they are written."""

    def __init__(self, name: str, **fields: Any) -> None:
        self.made = 0
        self.plain: dict[str, Any] = {
            "format": FORMAT, "version": 1, "name": name, **fields,
            "machines": [], "sections": [], "strips": [], "routes": [], "stems": [],
        }  # fmt: skip

    def machine(self, machine_id: str, name: str, **fields: Any) -> None:
        self.plain["machines"].append({"id": machine_id, "name": name, **fields})

    def section(self, section_id: str, name: str, colour: str, bus: str | None = None) -> None:
        self.plain["sections"].append({"id": section_id, "name": name, "colour": colour, "bus": bus})

    def strip(
        self, strip_id: str, name: str, kind: str, layout: str = "stereo", *, feed: str | None = None, **fields: Any
    ) -> str:
        """A strip, and its feed where one is named."""
        self.plain["strips"].append({"id": strip_id, "name": name, "kind": kind, "layout": layout, **fields})
        if feed:
            self.route("feed", strip_id, feed)
        return strip_id

    def route(self, kind: str, start: str, end: str, **fields: Any) -> str:
        self.made += 1
        route_id = f"r{self.made}"
        self.plain["routes"].append({"id": route_id, "kind": kind, "from": start, "to": end, **fields})
        return route_id

    def send(self, start: str, end: str, gain_db: float = -10.0, **fields: Any) -> str:
        return self.route("send", start, end, gain_db=gain_db, **fields)

    def stem(self, stem_id: str, name: str, strip: str, printed: str, **fields: Any) -> None:
        self.plain["stems"].append({"id": stem_id, "name": name, "strip": strip, "print": printed, **fields})

    def change(self, strip_id: str, **fields: Any) -> None:
        next(strip for strip in self.plain["strips"] if strip["id"] == strip_id).update(fields)

    def template(self) -> Template:
        return validate(msgspec.convert(self.plain, Template))


def insert(insert_id: str, name: str, kind: str, **fields: Any) -> dict[str, Any]:
    return {"id": insert_id, "name": name, "type": kind, **fields}


def level(peak_dbfs: float, rms_dbfs: float) -> dict[str, Any]:
    """The source."""
    return {"source": {"peak_dbfs": peak_dbfs, "rms_dbfs": rms_dbfs}}
