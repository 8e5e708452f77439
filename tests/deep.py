"""The number of random examples of a property: three tenths of its own in the gate, many times as many in a long run.

The gate's run is derandomized: the same examples every time, so that a red gate is never a matter of luck. The long run
draws new ones each time, and a failure it finds is a defect to fix (see tests/conftest.py for the two profiles).
"""

from __future__ import annotations

import os

from hypothesis import settings

SCALE = float(os.environ.get("LATTICE_TEST_SCALE", "0.3"))


def tries(most: int) -> settings:
    """`@tries(150)`: 45 examples in the gate, 150 · LATTICE_TEST_SCALE in a long run."""
    return settings(max_examples=max(1, round(most * SCALE)), deadline=None)
