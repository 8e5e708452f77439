"""Where people of the trade begin with an insert, for fields to suggest (all common practice; from memory)."""

from __future__ import annotations

from lattice.model.document import Insert, Strip


def starting_value(strip: Strip, insert: Insert, field: str) -> str:
    """Common starting values of insert fields, as typed; empty if there is none."""
    traits, named = insert.traits, f"{insert.name} {strip.name}".casefold()
    usual = [
        *(traits.by_key if insert.key == "external" else ()),
        *(one for one in traits.by_word if one.where in named),
        *(one for one in traits.by_host if one.where in ("", strip.kind)),
    ]
    return next((one.value for one in usual if one.field == field), "")
