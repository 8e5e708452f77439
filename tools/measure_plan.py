"""Times matters and the plan of worn templates and of the demo; bounds: 5 s at 300 strips, 60 s at 3,000."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from lattice.analysis import Analysis
from lattice.checks import audit_of
from lattice.generate import generate
from lattice.matters.matter import matters_of
from lattice.matters.plan import plan
from lattice.model.document import Template
from web.shelf.demo.night_ferry import in_work

SIZES = (300, 3000)


def templates() -> Iterator[tuple[str, Template]]:
    yield "demo", in_work()
    for strips in SIZES:
        yield f"{strips} worn", generate(strips, worn=True)


def main() -> int:
    print("template     findings  matters  matters s  plan s  steps  looked at  before → after")
    for name, template in templates():
        analysis = Analysis(template)
        audit = audit_of(analysis)
        start = perf_counter()
        matters = matters_of(analysis, audit)
        grouped = perf_counter() - start
        looked = [0]

        def progress(_steps: int, number: int, looked: list[int] = looked) -> None:
            looked[0] = number + 1

        start = perf_counter()
        made = plan(template, progress=progress)
        planned = perf_counter() - start
        said = made.as_json()
        counts = " → ".join("/".join(str(count) for count in said[when].values()) for when in ("before", "after"))
        print(
            f"{name:12} {len(audit.findings):8}  {len(matters):7}  {grouped:9.2f}  {planned:6.2f}  "
            f"{len(made.steps):5}  {looked[0]:9}  {counts}"
        )
    return 0


if __name__ == "__main__":
    sys.exit(main())
