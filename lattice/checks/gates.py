"""Gates that nothing opens, limiters that are pushed, filters that let nothing through."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from lattice.analysis import Analysis
from lattice.checks.assumed import if_louder
from lattice.checks.finding import Finding, Remedy, Severity
from lattice.checks.registry import check, explain
from lattice.gain_staging.chain import limits
from lattice.gain_staging.levels import Levels
from lattice.model.document import Insert, Strip
from lattice.model.edit_step import EditStep
from lattice.model.insert_types import LIMITING
from lattice.model.name_words import is_bass_name
from lattice.model.units import decibels, words_db

MOST_PUSHED_DB = 6.0  # a limiter that takes more is heard, and hides it (common practice)
LOW_CUT_OF_BASS_HZ = 80.0  # basses and kicks lose their fundamental from here on (common practice)
BELOW_PEAK_DB = 6.0  # a threshold so far below the peak opens


@check("gate.shut")
def shut_gates(analysis: Analysis) -> Iterator[Finding]:
    """Active gates and expanders whose threshold is above the worst-case peak at their input."""
    for (strip_number, place), peak_db in analysis.levels.shut_gates.items():
        strip = analysis.strip(strip_number)
        insert = strip.inserts[place]
        stands = if_louder(
            analysis,
            "warning",
            analysis.rests_on_assumed(strip_number),
            partial(_is_shut, strip_number=strip_number, place=place),
        )
        name, threshold_db = f"{insert.title} on {strip.name}", insert.threshold_db or 0.0
        wanted = round(peak_db - BELOW_PEAK_DB, 1)
        lower = EditStep("change_insert", {"insert": insert.id, "changes": {"threshold_db": wanted}})
        yield Finding(
            code="gate.shut",
            **stands.fields,
            message=f"{name} never opens: peak {words_db(peak_db)} dBFS, threshold {words_db(threshold_db)} dB",
            because=f"{name} would never open",
            strips=(strip.id,),
            inserts=(insert.id,),
            figures={"peak_dbfs": peak_db, "threshold_db": threshold_db},
            evidence=("worst-case peak at its input, loudest channel",),
            remedies=()
            if stands.is_assumed
            else (Remedy(f"Set the threshold to {words_db(wanted)} dB", (lower,), "gain"),),
        )


def _is_shut(levels: Levels, strip_number: int, place: int) -> Severity | None:
    """The finding at other levels."""
    return "warning" if (strip_number, place) in levels.shut_gates else None


@check("level.pushed")
def pushed(analysis: Analysis) -> Iterator[Finding]:
    """Limiters and clippers that take more than 6 dB, on levels that are stated."""
    graph, levels = analysis.graph, analysis.levels
    for strip_number, place in sorted(graph.places_of(sorted(LIMITING))):
        strip = graph.strips[strip_number]
        insert = strip.inserts[place]
        if insert.state != "on" or insert.traits.ceiling != "hard" or not limits(insert):
            continue
        peak = levels.peak_entering(strip_number, place)
        over_db = decibels(peak) + insert.gain_db - (insert.ceiling_db or 0.0) if peak > 0 else 0.0
        if over_db <= MOST_PUSHED_DB or analysis.rests_on_assumed(strip_number):
            continue
        yield Finding(
            code="level.pushed",
            severity="note",
            message=f"{insert.title} on {strip.name} is pushed by {over_db:.1f} dB",
            strips=(strip.id,),
            inserts=(insert.id,),
            figures={"pushed_db": over_db},
            evidence=("levels after it do not show how far it is pushed",),
        )


@check("filter.shut", "filter.lows")
def filters(analysis: Analysis) -> Iterator[Finding]:
    """Low cuts at or above a high cut of the same chain, and high ones on basses."""
    graph = analysis.graph
    for strip_number in sorted(graph.inserts.high_cuts):
        working = [insert for insert in graph.strips[strip_number].inserts if insert.state == "on"]
        low = max(working, key=lambda insert: insert.low_cut_hz or 0.0, default=None)
        high = min(working, key=lambda insert: insert.high_cut_hz or math.inf, default=None)
        if low and high and high.high_cut_hz and (low.low_cut_hz or 0.0) >= high.high_cut_hz:
            yield _shut_filter(graph.strips[strip_number], low, high)
    for strip in graph.strips:
        if strip.inserts and is_bass_name(strip.name):
            yield from _cut_lows(strip)


def _cut_lows(strip: Strip) -> Iterator[Finding]:
    for insert in strip.inserts:
        cut_hz = insert.low_cut_hz or 0.0
        if cut_hz >= LOW_CUT_OF_BASS_HZ and insert.state == "on":
            yield Finding(
                code="filter.lows",
                severity="note",
                message=f"{insert.title} on {strip.name} cuts lows at {cut_hz:g} Hz (limit {LOW_CUT_OF_BASS_HZ:g} Hz)",
                strips=(strip.id,),
                inserts=(insert.id,),
                figures={"low_cut_hz": cut_hz},
                evidence=("its name contains bass, sub or kick",),
                remedies=(_without_cut(insert.id, insert.title, "low"),),
            )


def _shut_filter(strip: Strip, low: Insert, high: Insert) -> Finding:
    cuts = (low.low_cut_hz, high.high_cut_hz)
    return Finding(
        code="filter.shut",
        severity="warning",
        message=f"Filters of {strip.name} pass nothing: low cut {cuts[0]:g} Hz, high cut {cuts[1]:g} Hz",
        strips=(strip.id,),
        inserts=tuple(dict.fromkeys((low.id, high.id))),
        figures={"low_cut_hz": cuts[0], "high_cut_hz": cuts[1]},
        evidence=(f"low cut in {low.title}, high cut in {high.title}",),
        remedies=(_without_cut(low.id, low.title, "low"), _without_cut(high.id, high.title, "high")),
    )


def _without_cut(insert: str, title: str, which: str) -> Remedy:
    step = EditStep("change_insert", {"insert": insert, "changes": {f"{which}_cut_hz": None}})
    return Remedy(f"Remove the {which} cut of {title}", (step,))


explain(
    "gate.shut",
    many="{n} gates never open",
    found="The threshold of an active gate or expander is above the worst-case peak at its input.",
    why="The strip is silent, and so is every key that passes the gate.",
    how="Thresholds are compared with the peak of the loudest channel. Gates keyed from outside are left out.",
    fix="Lower the threshold, or raise the level before the gate.",
    decide="Only you know the level before the gate. Lower the threshold in the strip details.",
    place="levels",
)

explain(
    "level.pushed",
    many="{n} limiters are pushed",
    found="A limiter or clipper takes more than 6 dB, computed from stated levels.",
    why="Levels after it look fine. The mix is flat and distorted.",
    how="The worst-case peak at its input is compared with its ceiling.",
    fix="Lower the level before it.",
)

explain(
    "filter.shut",
    many="{n} strips pass nothing",
    found="In one chain, an active low cut is at or above an active high cut.",
    why="The filters together pass no signal.",
    how="The highest low cut and the lowest high cut of each chain are compared.",
    fix="Correct the cut that was mistyped.",
    decide="Only you know the cut that was mistyped. Correct it in the strip details.",
    place="map",
)

explain(
    "filter.lows",
    many="{n} bass strips have a high low cut",
    found="A strip named bass, sub or kick has an active low cut of 80 Hz or more.",
    why="Its fundamental is lost.",
    how="Names and low cuts of active inserts are read (common practice).",
    fix="Lower the cut, or remove it.",
)
