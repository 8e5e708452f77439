"""Structural mutations of documents, sheets, workbooks, inventories and edits, for as long as is asked: `make test-long`.

Run: python -m tests.fuzz.run [--seconds 600] [--seed N] [--kind documents]. The seed is printed; the same seed makes
the same mutations. A crash is printed with the data to reproduce it; it is then added as a small case to the tests, and
fixed.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
import traceback
from collections import Counter
from collections.abc import Callable
from random import Random, SystemRandom
from xml.etree import ElementTree

from hypothesis import HealthCheck, given, seed, settings

from lattice.checks import audit
from lattice.edits import apply, apply_steps
from lattice.errors import DocumentError
from lattice.exports import EXPORTS
from lattice.formats import any_table, inventory, track_sheet
from lattice.formats.document_json import dump, encode, load, to_plain
from lattice.formats.tables.choices import Choices
from lattice.generate import generate
from lattice.model.document import Template
from lattice.model.inventory import inventory_of
from tests.flows import flows
from tests.fuzz.mutations import as_json, mutated, mutated_sheet, mutated_workbook
from tests.random_edits import RandomEdits
from tests.strategies import templates

STARTS = 60
SLOW_S = 15.0  # one small template and all that is done with it


class RefusedError(Exception):
    """Bad input with a clear refusal: the required behaviour."""


def _starts(number: int) -> list[Template]:
    """Templates to begin with: small random ones of both kinds, and a realistic one."""
    found: list[Template] = [generate(60, seed=number % 1000)]

    @seed(number)
    @settings(max_examples=STARTS, database=None, deadline=None, suppress_health_check=list(HealthCheck))
    @given(templates() | flows())
    def draw(made: Template) -> None:
        found.append(made)

    draw()
    return found


def _used(made: Template, chance: Random) -> None:
    """A template that was accepted is good for everything."""
    assert load(dump(made)) == made == load(encode(made))
    found = audit(made)
    json.dumps([finding.as_json() for finding in found.findings], allow_nan=False)
    form = chance.choice(("svg", "graphml", "dot", "csv"))
    written = EXPORTS[form].write(made)
    if form in ("svg", "graphml"):
        ElementTree.fromstring(written)  # noqa: S314 - our own output, to see that it is well-formed
    elif form == "csv" and made.strips:
        track_sheet.read_sheet(written)
    for finding in found.findings[:: max(1, len(found.findings) // 3)]:
        for remedy in finding.remedies:
            apply_steps(made, remedy.steps)


def documents(made: Template, chance: Random) -> None:
    data = as_json(mutated({"name": made.name, **to_plain(made)}, chance), chance)
    try:
        read = load(data)
    except DocumentError as refused:
        raise RefusedError from refused
    _used(read, chance)


def sheets(made: Template, chance: Random) -> None:
    data = mutated_sheet(EXPORTS["csv"].write(made).decode(), chance)
    try:
        read = track_sheet.read_sheet(data)
    except DocumentError as refused:
        raise RefusedError from refused
    _used(read.template, chance)


def tables(made: Template, chance: Random) -> None:
    """Heads of no known table: a detected template is as valid as any other."""
    heads, *rest = EXPORTS["csv"].write(made).decode().split("\n")
    _read_by_guess(
        mutated_sheet("\n".join([heads.replace("name", "Track").replace("to", "Out"), *rest]), chance), chance
    )


def workbooks(made: Template, chance: Random) -> None:
    _read_by_guess(mutated_workbook(EXPORTS["xlsx"].write(made), chance), chance)


def _read_by_guess(data: bytes, chance: Random) -> None:
    try:
        read = any_table.read_any(data, "x", Choices()).template
    except DocumentError as refused:
        raise RefusedError from refused
    _used(read, chance)


def inventories(made: Template, chance: Random) -> None:
    known = inventory_of(made, made.machines[0])
    if chance.random() < 0.5:
        data = as_json(mutated(to_plain(known) | {"name": "x"}, chance), chance)
    else:
        data = mutated_sheet(inventory.dump(known).decode(), chance)
    try:
        read = inventory.load(data)
    except DocumentError as refused:
        raise RefusedError from refused
    assert {plugin.name for plugin in inventory.load(inventory.dump(read)).plugins} == {p.name for p in read.plugins}
    audit(made, read)


def edits(made: Template, chance: Random) -> None:
    edit, arguments = RandomEdits(made, chance).edit()
    try:
        new = apply(made, edit, arguments)
    except DocumentError as refused:
        raise RefusedError from refused
    assert load(dump(new)) == new
    if chance.random() < 0.2:
        _used(new, chance)


KINDS: dict[str, Callable[[Template, Random], None]] = {
    function.__name__: function for function in (documents, sheets, tables, workbooks, inventories, edits)
}


def run(seconds: float, number: int, kinds: list[str]) -> int:
    """Mutates until time is up; gives how many crashed."""
    print(f"fuzzing {', '.join(kinds)} for {seconds:g} s, seed {number}", flush=True)
    chance = Random(number)  # noqa: S311 - repeatable, no secret
    starts = _starts(number)
    counts: Counter[str] = Counter()
    seen: set[str] = set()
    ends_at = time.monotonic() + seconds
    while time.monotonic() < ends_at:
        kind, start, mine = chance.choice(kinds), chance.randrange(len(starts)), chance.randrange(2**48)
        counts[kind] += 1
        began = time.monotonic()
        try:
            KINDS[kind](starts[start], Random(mine))  # noqa: S311
            if time.monotonic() - began > SLOW_S:
                raise TimeoutError(f"took {time.monotonic() - began:.0f} s")
            counts[f"{kind} accepted"] += 1
        except RefusedError:
            continue
        except Exception as wrong:  # any exception is a defect of ours
            last = traceback.extract_tb(wrong.__traceback__)[-1]
            place = f"{type(wrong).__name__} at {last.filename.rpartition('/')[2]}:{last.lineno}"
            counts["crashed"] += 1
            if place not in seen:
                seen.add(place)
                print(
                    f"CRASH {kind}: {place}: {str(wrong)[:300]}\n  start {start}, chance {mine}, seed {number}",
                    flush=True,
                )
                traceback.print_exc(limit=-4, file=sys.stdout)
    print(", ".join(f"{name} {count}" for name, count in sorted(counts.items())))
    crashed = counts["crashed"]
    print(f"{sum(counts[kind] for kind in KINDS) - crashed} passed, {crashed} failed")
    return crashed


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=600)
    parser.add_argument("--seed", type=int, default=None)
    parser.add_argument("--kind", choices=KINDS, action="append")
    options = parser.parse_args()
    number = SystemRandom().randrange(2**32) if options.seed is None else options.seed
    sys.exit(run(options.seconds, number, options.kind or list(KINDS)) > 0)


if __name__ == "__main__":
    main()
