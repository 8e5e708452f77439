"""Cells in short, spelled out as the track sheet has them."""

from __future__ import annotations

import re

from lattice.formats.tables.words import layout_of
from lattice.formats.track_sheet_cells import entries, read_outlet

COUNT = re.compile(r"(?P<count>[1-9]\d?)(?P<layout>\s+\S+)?")
ALL = "all>"  # before a destination: every outlet leads there


def spell_out(cells: dict[str, str]) -> None:
    """Outlets and parts in short, in place: “8 stereo”, “16”; parts are laid over the outlets in order."""
    outlets = COUNT.fullmatch(cells.get("outlets", ""))
    if outlets:
        layout = layout_of(outlets["layout"] or "") or "stereo"
        listed = [f"{n} {layout}{' main' if n == 1 else ''}" for n in range(1, int(outlets["count"]) + 1)]
        cells["outlets"] = "; ".join(listed)
    parts = COUNT.fullmatch(cells.get("parts", ""))
    if parts and outlets:
        many, ends = int(parts["count"]), int(outlets["count"])
        laid = (f"part-{n} outlet {(n - 1) * ends // many + 1} = Part {n}" for n in range(1, many + 1))
        cells["parts"] = "; ".join(laid)
    if cells.get("outlets") and cells.get("feed", "").startswith(ALL):
        cells["feed"] = _all_to(cells["outlets"], cells["feed"].removeprefix(ALL))


def _all_to(outlets: str, to: str) -> str:
    """A cell that leads every outlet to one strip; the main one by the strip's own feed."""
    try:
        known = [read_outlet(entry) for entry in entries(outlets)]
    except ValueError:
        return to  # reported where the outlets are parsed
    return "; ".join(to if outlet.main else f"{outlet.id}>{to}" for outlet in known)
