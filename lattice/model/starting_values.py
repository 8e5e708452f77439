"""Where people of the trade begin with an insert, for fields to suggest (all common practice; from memory)."""

from __future__ import annotations

from typing import NamedTuple

from lattice.model.document import Insert, Strip
from lattice.model.insert_types import Usual

USUAL_BPM = 120.0


class Chain(NamedTuple):
    """Inserts to begin with, as *Add insert* reads them."""

    name: str
    inserts: str


def starting_chains(tempo_bpm: float) -> tuple[Chain, ...]:
    """Chains that people begin with; a release is a note value at the tempo."""
    sixteenth_ms = 15000 / tempo_bpm
    return (
        Chain(
            "Mix bus: gain, colour, 2:1, tape, limiter off while writing",
            "gain = Gain; saturator = Colour; compressor ratio 2 threshold -20 attack 10 = Bus compressor; "
            "saturator = Tape; limiter ceiling -1 bypassed = Limiter",
        ),
        Chain(
            "Hard duck: low threshold, high ratio, release of a 1/16",
            f"compressor key external threshold -35 ratio 10 attack 1 release {sixteenth_ms:.0f} = Duck",
        ),
        Chain(
            "Crush: −40 dB, 5.5:1, fastest attack, make-up 12 dB; lower the return by as much",
            "compressor threshold -40 ratio 5.5 attack 0.1 gain 12 = Crush",
        ),
        Chain("Slap: 166 ms", "delay delay 166 feedback 25% high-cut 9500 low-cut 250 = Slap"),
    )


def starting_value(strip: Strip, insert: Insert, field: str, tempo_bpm: float = USUAL_BPM) -> str:
    """Common starting values of insert fields, as typed; empty if there is none. Note values go by the tempo."""
    traits, named = insert.traits, f"{insert.name} {strip.name}".casefold()
    usual = [
        *(traits.by_key if insert.key == "external" else ()),
        *(one for one in traits.by_word if one.where in named),
        *(one for one in traits.by_host if one.where in ("", strip.kind)),
    ]
    found = next((one for one in usual if one.field == field), None)
    return "" if found is None else _typed(found, tempo_bpm)


def _typed(usual: Usual, tempo_bpm: float) -> str:
    return usual.value or f"{usual.quarters * 60000 / tempo_bpm:.0f}"
