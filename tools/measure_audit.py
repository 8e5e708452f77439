"""Times parsing and the whole audit of generated templates against `json.loads` of the same bytes.

Prints a table of clean templates and one of worn ones, each with the slope of growth; the numbers in
docs/performance.md come from here.

    python tools/measure_audit.py [ROUNDS]
"""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Callable
from statistics import median
from time import perf_counter

from lattice.checks import audit
from lattice.formats.document_json import dump, load
from lattice.generate import generate

SIZES = (1000, 3000, 10_000, 30_000)
ROUNDS = 7


def timed(work: Callable[[], object]) -> float:
    start = perf_counter()
    work()
    return perf_counter() - start


def measure(strips: int, rounds: int, *, worn: bool = False) -> dict[str, float]:
    """Medians in ms; the three alternate, so that a drifting machine affects all equally."""
    data = dump(generate(strips, worn=worn))
    found: dict[str, list[float]] = {"json": [], "parse": [], "audit": []}
    for _ in range(rounds + 1):
        template = load(data)
        found["json"].append(timed(lambda: json.loads(data)))
        found["parse"].append(timed(lambda: load(data)))
        found["audit"].append(timed(lambda template=template: audit(template)))
    medians = {name: median(times[1:]) * 1000 for name, times in found.items()}
    ratios = [(p + a) / j for j, p, a in zip(found["json"][1:], found["parse"][1:], found["audit"][1:], strict=True)]
    return {**medians, "ratio": median(ratios)}


def main() -> int:
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else ROUNDS
    for worn in (False, True):
        table(rounds, worn=worn)
    return 0


def table(rounds: int, *, worn: bool) -> None:
    """The rows of one kind of template."""
    print("worn" if worn else "clean")
    print("strips   json.loads ms   parse ms   audit ms   (parse + audit) / json.loads")
    whole = {}
    for strips in SIZES:
        row = measure(strips, rounds, worn=worn)
        whole[strips] = row["parse"] + row["audit"]
        print(f"{strips:6}   {row['json']:13.1f}   {row['parse']:8.1f}   {row['audit']:8.1f}   {row['ratio']:.2f}")
    slope = math.log(whole[SIZES[-1]] / whole[SIZES[0]]) / math.log(SIZES[-1] / SIZES[0])
    print(f"growth from {SIZES[0]} to {SIZES[-1]} strips: n^{slope:.2f}")


if __name__ == "__main__":
    sys.exit(main())
