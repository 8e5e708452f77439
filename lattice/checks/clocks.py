"""Rates, frames and note values."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.model.edit_step import EditStep
from lattice.model.insert_types import REPEATING
from lattice.model.tempo import tempos

# Within 5 % a note value was meant; within 1 ms it is one.
NEAR = 0.05
EXACT_MS = 1.0
KINDS = (("", Fraction(1)), ("dotted ", Fraction(3, 2)), ("triplet ", Fraction(2, 3)))
NOTE_VALUES = tuple(
    (f"{words}1/{part}", Fraction(1, part) * factor) for part in (1, 2, 4, 8, 16, 32) for words, factor in KINDS
)


@check("time.rate")
def rates(analysis: Analysis) -> Iterator[Finding]:
    """Template, profile and machines that run at different sample rates."""
    template = analysis.template
    rate = template.sample_rate_hz
    wanted = template.profile.sample_rate_hz
    if wanted != rate:
        steps = (EditStep("change_template", {"changes": {"sample_rate_hz": wanted}}),)
        yield Finding(
            code="time.rate",
            severity="warning",
            message=f"The template runs at {rate} Hz; {template.profile.name} requires {wanted} Hz",
            evidence=("picture work is usually at 48 kHz",),
            remedies=(Remedy(f"Set the template to {wanted} Hz", steps),),
        )
    for machine in template.machines:
        if machine.sample_rate_hz is not None and machine.sample_rate_hz != rate:
            yield Finding(
                code="time.rate",
                severity="warning",
                message=f"{machine.name} runs at {machine.sample_rate_hz} Hz; the template runs at {rate} Hz",
                others=(machine.id,),
                evidence=("lengths and latencies are counted at the rate of the template",),
            )


@check("time.frames")
def frames(analysis: Analysis) -> Iterator[Finding]:
    """A picture, or a profile with a frame rate, and a template without it."""
    template = analysis.template
    wanted = template.profile.frame_rate
    guides = analysis.graph.by_tag["guide"]
    missing = template.frame_rate is None and (guides or wanted)
    if missing or (wanted is not None and template.frame_rate != wanted):
        has = "no frame rate" if template.frame_rate is None else f"{template.frame_rate} frames"
        asks = f"{template.profile.name} requires {wanted}" if wanted else f"{analysis.names(guides)} is picture audio"
        steps = (EditStep("change_template", {"changes": {"frame_rate": wanted}}),)
        yield Finding(
            code="time.frames",
            severity="warning",
            message=f"The template has {has}; {asks}",
            strips=analysis.ids(guides),
            evidence=("different frame rates make audio drift against the picture",),
            remedies=(Remedy(f"Set {wanted} frames", steps),) if wanted else (),
        )


@check("time.delay-note")
def delay_notes(analysis: Analysis) -> Iterator[Finding]:
    """Delays that are nearly a note value at a tempo of the programme, and not quite."""
    played = tempos(analysis.template)
    for strip_number, place in analysis.graph.places_of(REPEATING):
        strip = analysis.strip(strip_number)
        insert = strip.inserts[place]
        delay_ms = insert.delay_ms or 0.0
        near = [(bpm, nearest) for bpm in played if delay_ms and (nearest := nearest_note(delay_ms, bpm)) is not None]
        off = [(bpm, words, exact) for bpm, (words, exact) in near if abs(exact - delay_ms) > EXACT_MS]
        if not off:
            continue
        bpm, words, exact = off[0]
        at_tempo = f" at {bpm:g} BPM" if len(played) > 1 else ""
        by = f"{abs(delay_ms - exact):.1f} ms off a {words}{at_tempo}"
        change = EditStep("change_insert", {"insert": insert.id, "changes": {"delay_ms": round(exact, 3)}})
        # With several tempos the exact time of one is wrong at the others.
        remedies = (Remedy(f"Set to {exact:.1f} ms", (change,)),) if len(played) == 1 else ()
        yield Finding(
            code="time.delay-note",
            severity="note",
            message=f"{insert.name or insert.id} on {strip.name} is {by}",
            strips=(strip.id,),
            inserts=(insert.id,),
            evidence=tuple(f"{delay_ms:g} ms at {bpm:g} BPM: {words} is {exact:.1f} ms" for bpm, words, exact in off),
            remedies=remedies,
        )


@check("time.tempo-start")
def tempo_starts(analysis: Analysis) -> Iterator[Finding]:
    """A tempo map without an event at the first bar."""
    timeline = analysis.template.timeline
    if not timeline.tempo or any(event.bar == timeline.first_bar for event in timeline.tempo):
        return
    before = [event for event in timeline.tempo if event.bar < timeline.first_bar]
    bpm = before[-1].bpm if before else analysis.template.tempo_bpm
    events = [{"bar": event.bar, "bpm": event.bpm} for event in timeline.tempo]
    new = {"bar": timeline.first_bar, "bpm": bpm}
    changed = sorted([*events, new], key=lambda event: event["bar"])
    step = EditStep("change_timeline", {"changes": {"tempo": changed}})
    yield Finding(
        code="time.tempo-start",
        severity="warning",
        message=f"The tempo map has no event at the first bar, {timeline.first_bar}",
        figures={"first_bar": float(timeline.first_bar)},
        evidence=tuple(f"bar {event.bar}: {event.bpm:g} BPM" for event in timeline.tempo[:6]),
        remedies=(Remedy(f"Set {bpm:g} BPM at bar {timeline.first_bar}", (step,)),),
    )


@check("time.programme")
def outside_programme(analysis: Analysis) -> Iterator[Finding]:
    """Markers before the first bar, or behind the end of the programme."""
    timeline = analysis.template.timeline
    if timeline.end_bar is None:
        return
    for marker in timeline.markers:
        if not timeline.first_bar <= marker.bar <= timeline.end_bar:
            is_before = marker.bar < timeline.first_bar
            side = "before the first bar" if is_before else "behind the end"
            limit = timeline.first_bar if is_before else timeline.end_bar
            yield Finding(
                code="time.programme",
                severity="note",
                message=f"Marker {marker.name} at bar {marker.bar} is {side}, bar {limit}",
                others=(f"marker:{marker.bar}",),
                figures={"bar": float(marker.bar), "limit": float(limit)},
                evidence=(f"programme: bars {timeline.first_bar} to {timeline.end_bar}",),
            )


def nearest_note(delay_ms: float, tempo_bpm: float) -> tuple[str, float] | None:
    """The note value nearest to a time.

    Parameters
    ----------
    delay_ms
        Time, ms.
    tempo_bpm
        Quarters a minute: a quarter lasts 60000/bpm ms (arithmetic).

    Returns
    -------
    tuple of (str, float) or None
        Like "dotted 1/8", and its exact time, ms; None where none is within 5 %.
    """
    whole_ms = 4 * 60000 / tempo_bpm
    near = [(abs(float(share) * whole_ms - delay_ms), words, float(share) * whole_ms) for words, share in NOTE_VALUES]
    near = [entry for entry in near if entry[0] <= NEAR * entry[2] + 1e-9]
    return min(near)[1:] if near else None


explain(
    "time.rate",
    many="{n} sample rates differ",
    found="The sample rates of template, profile or machines differ.",
    why="Files play at the wrong speed, or are converted twice.",
    how="The rates of template, profile and machines are compared.",
    fix="Set all to one rate.",
    decide="Only you know the rate of the job. Set template, profile and machines alike.",
    place="settings",
)

explain(
    "time.frames",
    many="{n} frame rates differ",
    found="The frame rates of guide, profile and template differ.",
    why="Audio drifts against the picture.",
    how="The frame rates of guide, profile and template are compared.",
    fix="Set the frame rate of the picture.",
    decide="Only you know the frame rate of the picture. Set it in Settings.",
    place="settings",
)

explain(
    "time.delay-note",
    many="{n} delays are slightly off a note value",
    found="A delay time is near a note value at the tempo, but more than 1 ms off.",
    why="The repeats drift against the beat.",
    how="60000 / BPM, from 1/1 to 1/32, straight, dotted and triplet; within 5 %.",
    fix="Set the exact time.",
)

explain(
    "time.tempo-start",
    many="{n} tempo maps start late",
    found="The tempo map has no event at the first bar.",
    why="The programme starts at the tempo that the session had before. Delays and click differ from the map.",
    how="Events are compared with the first bar of the timeline.",
    fix="Set the tempo at the first bar.",
    decide="Only you know the tempo of the first bar. Set it in Settings.",
    place="settings",
)

explain(
    "time.programme",
    many="{n} markers are outside the programme",
    found="A marker is before the first bar or behind the end of the programme.",
    why="Navigation and printed markers lead outside the delivered part.",
    how="Markers are compared with the first bar and the end, once an end is set.",
    fix="Move the marker, or the end of the programme.",
    decide="Only you know whether the marker or the end is wrong. Set both in Settings.",
    place="settings",
)
