"""Layouts, pans and folds once more, from docs/reference/model.md and ITU-R BS.775 alone: nothing of the core is imported here.

The readings that hold the core to account (levels source by source, the renderer of timing) use these, so that a turned pan
or a wrong fold in the core is seen by them.
"""

from __future__ import annotations

import math

import numpy as np

CHANNELS = {
    "mono": ["M"], "stereo": ["L", "R"], "lcr": ["L", "R", "C"], "quad": ["L", "R", "Ls", "Rs"], "5.0": ["L", "R", "C", "Ls", "Rs"],
    "5.1": ["L", "R", "C", "LFE", "Ls", "Rs"], "7.1": ["L", "R", "C", "LFE", "Ls", "Rs", "Lrs", "Rrs"],
}  # fmt: skip
DOWN = 0.7071  # ITU-R BS.775-4, annex 4: −3 dB


def count_of(layout: str) -> int:
    return int(layout.split(":")[1]) if ":" in layout else len(CHANNELS[layout])


def panned(pan: float, law_db: float) -> tuple[float, float]:
    """Left and right of a mono signal: all left at −1, all right at 1, both at the law in the middle."""
    if law_db == 0:
        return (1.0, 1.0 + pan) if pan < 0 else (1.0 - pan, 1.0)
    angle = math.radians(45 * (pan + 1))
    power = -law_db / 3.0103
    return max(math.cos(angle), 0) ** power, max(math.sin(angle), 0) ** power


def balanced(pan: float) -> np.ndarray:
    """A stereo signal turned to one side: the other one fades."""
    return np.diag([1 - max(pan, 0), 1 + min(pan, 0)])


def by_numbers(source: str, destination: str, pairs: object) -> np.ndarray:
    made = np.zeros((count_of(destination), count_of(source)))
    for come, to in pairs:  # type: ignore[attr-defined]
        if come <= made.shape[1] and to <= made.shape[0]:
            made[to - 1, come - 1] = 1
    return made


def mapped(source: str, destination: str, left: float = 1.0, right: float = 1.0) -> np.ndarray:
    """(destination channels, source channels) of a route without a channel list."""
    if source == destination or ":" in source or ":" in destination:
        return np.eye(count_of(destination), count_of(source))
    here, there = CHANNELS[source], CHANNELS[destination]
    made = np.zeros((len(there), len(here)))
    if source == "mono":
        made[there.index("L"), 0], made[there.index("R"), 0] = left, right
        return made
    if destination == "mono":
        return mapped(source, "stereo").mean(axis=0, keepdims=True) if source != "stereo" else np.array([[0.5, 0.5]])
    for column, name in enumerate(here):
        for to, by in _goes(name, there):
            made[there.index(to), column] = by
    return made


def _goes(name: str, there: list[str]) -> list[tuple[str, float]]:
    if name in there:
        return [(name, 1.0)]
    if name == "C":
        return [("L", DOWN), ("R", DOWN)]
    side = {"Ls": "L", "Rs": "R", "Lrs": "Ls" if "Ls" in there else "L", "Rrs": "Rs" if "Rs" in there else "R"}.get(
        name
    )
    return [(side, DOWN)] if side else []  # LFE is dropped


def spread(source: str, destination: str) -> np.ndarray:
    """A panner between layouts: each input to every output but LFE, at 1/√n."""
    outs = [0.0 if name == "LFE" else 1.0 for name in (CHANNELS.get(destination) or ["x"] * count_of(destination))]
    return np.outer(np.array(outs) / math.sqrt(sum(outs)), np.ones(count_of(source)))
