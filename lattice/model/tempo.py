"""The tempos of a programme, from its tempo map."""

from __future__ import annotations

import math

from lattice.model.document import Template


def tempos(template: Template) -> tuple[float, ...]:
    """The tempos that sound between the first bar and the end, BPM, in their order; each once.

    Without a tempo map, and before its first event, that of the template holds.
    """
    timeline = template.timeline
    found: list[float] = []
    if not timeline.tempo or timeline.tempo[0].bar > timeline.first_bar:
        found.append(template.tempo_bpm)
    for index, event in enumerate(timeline.tempo):
        ends = timeline.tempo[index + 1].bar if index + 1 < len(timeline.tempo) else None
        is_before = ends is not None and ends <= timeline.first_bar
        is_behind = timeline.end_bar is not None and event.bar > timeline.end_bar
        if not is_before and not is_behind:
            found.append(event.bpm)
    return tuple(dict.fromkeys(found))


# Note values in quarters: a quarter lasts 60000/bpm ms (arithmetic), others are doubles, halves and quarters of it.
QUARTERS = {"1/2": 2.0, "1/4": 1.0, "1/8": 0.5, "1/16": 0.25, "1/32": 0.125}


def note_values_ms(bpm: float) -> dict[str, float]:
    """Note value → its length at a tempo, ms."""
    return {name: quarters * 60000 / bpm for name, quarters in QUARTERS.items()}


def nearest_value(time_ms: float, bpm: float) -> tuple[str, float]:
    """The note value nearest to a time by ratio, and its length, ms. The time is above 0."""
    values = note_values_ms(bpm)
    name = min(values, key=lambda one: abs(math.log(values[one] / time_ms)))
    return name, values[name]
