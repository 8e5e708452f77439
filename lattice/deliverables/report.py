"""The ledger as JSON (docs/reference/command-line.md) and as a table to read."""

from __future__ import annotations

from typing import Any

from lattice.deliverables.ledger import Ledger
from lattice.graph.origin import Origin
from lattice.model.document import main_outlet
from lattice.model.excluded_tags import NOT_ADDED_UP
from lattice.model.units import words_db


def source_id(ledger: Ledger, origin: Origin) -> str:
    """“strip”, or “strip/outlet” where the strip has outlets."""
    strip = ledger.graph.strips[origin.strip]
    outlet = main_outlet(strip) if origin.is_chain else ledger.graph.outlets[origin.outlet][1]
    return f"{strip.id}/{outlet.id}" if outlet is not None else strip.id


def adds_up(ledger: Ledger) -> bool:
    """The stem cut: no source reaches a mix outside the taps of all stems of its set."""
    return not any(
        ledger.taps.past(ledger.taps.of(origin))
        for origin in ledger.rows
        if not NOT_ADDED_UP & set(ledger.graph.strips[origin.strip].tags)
    )


def sum_in_words(ledger: Ledger) -> str:
    """Whether the stems sum to the mix, as a sentence; without a declared mix there is nothing they could sum to."""
    if not any(stem.role == "mix" for stem in ledger.taps.stems):
        return "No mix is declared, so the stems are not compared with one."
    return "The stems sum to the mix." if adds_up(ledger) else "Some audio bypasses the stems."


def as_json(ledger: Ledger) -> dict[str, Any]:
    """The form of `lattice stems --json`: levels in dB (null is silent), and whether the stems sum to the mix."""
    stems = ledger.taps.stems
    return {
        "format": "intact-lattice.stems",
        "version": 1,
        "ledger": {
            source_id(ledger, origin): {stems[stem].id: level for stem, level in row.items()}
            for origin, row in ledger.rows.items()
        },
        "cut": adds_up(ledger),
    }


def as_lines(ledger: Ledger) -> list[str]:
    """A row a source, a column a stem."""
    stems = [(number, stem) for number, stem in enumerate(ledger.taps.stems) if stem.strip is not None]
    lines = [f"{'source':32}" + "".join(f"{stem.name[:12]:>14}" for _number, stem in stems)]
    for origin, row in ledger.rows.items():
        cells = "".join(f"{words_db(row[number]) if number in row else '·':>14}" for number, _stem in stems)
        lines.append(f"{source_id(ledger, origin)[:32]:32}{cells}")
    lines.append(sum_in_words(ledger))
    return lines
