"""The tempos of a programme, from its tempo map."""

from __future__ import annotations

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
