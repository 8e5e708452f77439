"""The defaults of a section as cells of a row."""

from __future__ import annotations

from lattice.formats.insert_cells import insert_text
from lattice.formats.track_sheet_cells import level_text
from lattice.model.document import SectionDefaults


def cells_of_defaults(defaults: SectionDefaults) -> dict[str, str]:
    """Cells of the track sheet for a strip that comes into the section; empty where it states nothing."""
    sends = (f"{send.to}@{level_text(send.gain_db)} {send.tap}" for send in defaults.sends)
    inserts = (insert_text(insert, insert.id, is_keyed=False) for insert in defaults.inserts)
    return {
        "layout": defaults.layout or "",
        "feed": defaults.to or "",
        "sends": "; ".join(sends),
        "inserts": "; ".join(inserts),
    }
