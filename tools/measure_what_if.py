"""Server time of one what-if step, all computed again: the edit, levels, timing, findings, differences."""

from __future__ import annotations

import os
import sys
from statistics import median
from time import perf_counter

import django

sys.path.insert(0, os.path.dirname(os.path.dirname(os.path.abspath(__file__))))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
django.setup()

from lattice.generate import generate
from lattice.model.edit_step import EditStep
from web.editor.preview import Preview
from web.shelf.workspace import Workspace

ROUNDS = 9


def measure(strips: int) -> float:
    """Median ms of a fader moved on a track, the workspace being warm."""
    space = Workspace(generate(strips))
    track = next(strip.id for strip in space.template.strips if strip.id.startswith("s0-t"))
    times = []
    for number in range(ROUNDS + 1):
        step = EditStep("change_strip", {"strip": track, "changes": {"fader_db": -1.0 - number}})
        start = perf_counter()
        Preview(space, [0, 0, 0], "fader", step)
        times.append((perf_counter() - start) * 1000)
    return median(times[1:])


def main() -> int:
    for strips in (300, 3000):
        print(f"{strips:6} strips: {measure(strips):.0f} ms")
    return 0


if __name__ == "__main__":
    sys.exit(main())
