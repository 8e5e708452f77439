"""Headroom: of the mix, of sums with a build-up, and of plug-ins at their operating level."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

from lattice.analysis import Analysis
from lattice.checks.assumed import AS_NOTE, HIGHEST_DBFS, LOWEST_DBFS, Stands, standing
from lattice.checks.finding import Finding, Remedy, Severity, first_of
from lattice.checks.registry import check, explain
from lattice.checks.remedies import trim_steps
from lattice.gain_staging.chain import entering, figures, level_of, likely_db
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.plain import expected_at
from lattice.gain_staging.shares import inflow
from lattice.gain_staging.trims import trim_db
from lattice.graph.signal_graph import IN, STAGE_OF_TAP
from lattice.model.document import Profile, Stem, Strip
from lattice.model.insert_types import AT_OPERATING_LEVEL
from lattice.model.units import gain, words_db

SINE_DB = 3.0103  # a sine's peak over its RMS: operating levels are stated as a sine's
PLAIN_NOTE = Stands("note")
# Shares in a finding’s evidence; the rest is one line.
FEW = 8


def has_ceiling(strip: Strip) -> bool:
    """A limiter or clipper with a ceiling that is on."""
    return any(i.traits.ceiling == "hard" and i.state == "on" and i.ceiling_db is not None for i in strip.inserts)


def mix_headroom_db(analysis: Analysis, stem: Stem) -> float:
    """The required headroom of a mix: its own figure, else the profile's."""
    return analysis.template.profile.mix_headroom_db if stem.mix_headroom_db is None else stem.mix_headroom_db


@check("level.headroom")
def headroom(analysis: Analysis) -> Iterator[Finding]:
    """Mixes that leave less room than was promised, and have no limiter."""
    for stem in analysis.template.stems:
        if stem.role != "mix" or stem.strip is None:
            continue
        strip_number = analysis.graph.index[stem.strip]
        stage = analysis.levels.at(strip_number, STAGE_OF_TAP[stem.tap])
        if stage is None or (stem.tap != "pre-insert" and has_ceiling(analysis.strip(strip_number))):
            continue
        peak, likely, rms = figures(stage).loudest
        wanted = mix_headroom_db(analysis, stem)
        if likely is not None and -likely < wanted:
            stands = standing(
                analysis,
                strip_number,
                "warning",
                partial(_too_little_room, strip_number=strip_number, stem=stem, wanted_db=wanted),
                likely_db=likely + wanted,
            )
            yield Finding(
                code="level.headroom",
                **stands.fields,
                because=f"{stem.name} would have {-likely:.1f} dB headroom" if stands.is_assumed else "",
                message=f"{stem.name} {_room_words(likely)}; {wanted:g} dB required",
                strips=(stem.strip,),
                stems=(stem.id,),
                figures={"headroom_db": -likely, "likely_dbfs": likely, "peak_dbfs": peak, "rms_dbfs": rms},
                evidence=(*_ranking(analysis, strip_number), *analysis.level_words(strip_number)),
                remedies=()
                if stands.is_assumed
                else _trim(
                    analysis, strip_number, trim_db(analysis.levels, strip_number, wanted, STAGE_OF_TAP[stem.tap])
                ),
            )


def _too_little_room(levels: Levels, strip_number: int, stem: Stem, wanted_db: float) -> Severity | None:
    """The finding of a mix at other levels."""
    stage = levels.at(strip_number, STAGE_OF_TAP[stem.tap])
    return "warning" if stage is not None and -likely_db(stage) < wanted_db else None


def _trim(analysis: Analysis, number: int, change_db: float | None) -> tuple[Remedy, ...]:
    """The same change on all that is fed to a sum."""
    if change_db is None or change_db >= 0:
        return ()
    steps = trim_steps(analysis.levels, number, change_db)
    return (Remedy(f"Trim all {len(steps)} by {words_db(change_db)} dB, same balance", steps),) if steps else ()


def _room_words(likely_db: float) -> str:
    return f"has {-likely_db:.1f} dB headroom" if likely_db <= 0 else f"is {likely_db:.1f} dB over full scale"


def _ranking(analysis: Analysis, number: int) -> tuple[str, ...]:
    """Inputs by their share, a line each."""
    shares = inflow(analysis.levels, number)
    lines = []
    for share in shares:
        name = analysis.name(analysis.graph.tail[share.route])
        lines.append(f"{name}: {100 * share.share:.0f} %, {words_db(share.likely_db)} dBFS")
    return first_of(lines, FEW)


@check("level.operating")
def operating(analysis: Analysis) -> Iterator[Finding]:
    """Inserts that work on levels, fed far from the operating level."""
    profile, levels = analysis.template.profile, analysis.levels
    low = profile.operating_level_dbfs - profile.operating_window_db - SINE_DB
    high = profile.operating_level_dbfs + profile.operating_window_db - SINE_DB
    power_low, power_high = 10 ** (low / 10), 10 ** (high / 10)
    floor, top = gain(low), gain(high)
    wanted = f"{words_db(profile.operating_level_dbfs)} ± {profile.operating_window_db:g} dB"
    resting = analysis.assumed_sound.arrives if analysis.assumed_sources else None
    said: dict[float, _Away | None] = {}  # of a power: most sources of a template have one of few levels
    for strip_number, place in analysis.graph.places_of(AT_OPERATING_LEVEL):
        plain = levels.sources.get(strip_number)
        if plain and plain.low_e > floor and plain.high_e < top:
            continue  # wherever in its chain
        strip = analysis.graph.strips[strip_number]
        insert = strip.inserts[place]
        if insert.state != "on" or insert.key == "external":
            continue
        if plain:
            expected = expected_at(strip, plain, place)
            power = expected * expected
        else:
            stages = levels.stages[strip_number]
            if not stages:
                continue
            sound, _peak_gain, _likely_gain, rms_gain = entering(strip, stages, place, levels.carriers)
            power = max(sound.e2) * rms_gain * rms_gain
        if power <= 0 or power_low <= power <= power_high:
            continue
        if power not in said:
            said[power] = _away(power, profile, wanted)
        away = said[power]
        if away is not None:
            at = (strip_number, place, power_low, power_high)
            rests = resting is not None and resting[strip_number]
            stands = AS_NOTE if rests and _may_fit(analysis, *at) else PLAIN_NOTE
            yield Finding(
                code="level.operating",
                severity="note",
                standing=stands.standing,
                issue=stands.issue,
                message=f"{insert.name or insert.id} on {strip.name} runs {away.words}",
                strips=(strip.id,),
                inserts=(insert.id,),
                figures=away.figures,
                cause=(insert.type, strip.section or strip.id),
                evidence=away.evidence,
            )


def _may_fit(analysis: Analysis, strip_number: int, place: int, power_low: float, power_high: float) -> bool:
    """Return whether some level of the assumed sources brings an insert to its operating level."""
    low, high = (
        _power_at(analysis.levels_if_assumed(peak), strip_number, place) for peak in (LOWEST_DBFS, HIGHEST_DBFS)
    )
    return low <= power_high and high >= power_low


def _power_at(levels: Levels, strip_number: int, place: int) -> float:
    """The expected power at the input of an insert."""
    strip, plain = levels.graph.strips[strip_number], levels.sources.get(strip_number)
    if plain:
        return expected_at(strip, plain, place) ** 2
    stages = levels.stages[strip_number]
    if not stages:
        return 0.0
    sound, _peak_gain, _likely_gain, rms_gain = entering(strip, stages, place, levels.carriers)
    return max(sound.e2) * rms_gain * rms_gain


class _Away(NamedTuple):
    """How far a level is off the operating level, as findings say it."""

    words: str
    figures: dict[str, float | None]
    evidence: tuple[str, ...]


def _away(power: float, profile: Profile, wanted: str) -> _Away | None:
    rms = level_of([power], 1.0)
    away = rms + SINE_DB - profile.operating_level_dbfs
    if abs(away) <= profile.operating_window_db + 1e-9:
        return None
    expected = f"expected level {words_db(rms)} dBFS RMS, as a sine {words_db(rms + SINE_DB)}"
    return _Away(
        f"{abs(away):.1f} dB {'above' if away > 0 else 'below'} operating level",
        {"rms_dbfs": rms},
        (f"{expected}; operating level {wanted}",),
    )


@check("level.build-up")
def build_up(analysis: Analysis) -> Iterator[Finding]:
    """Sums of three or more that are over full scale before anything is done about it."""
    graph, levels = analysis.graph, analysis.levels
    for strip_number in (*graph.by_kind["bus"], *graph.by_kind["master"]):
        stages = levels.stages[strip_number]
        if not stages or len(graph.ins[strip_number]) < 3:
            continue
        stage = stages[IN]
        if likely_db(stage) <= 1e-9 or sum(map(levels.brings, graph.ins[strip_number])) < 3:
            continue
        peak, likely, rms = figures(stage).loudest
        stands = standing(
            analysis,
            strip_number,
            "note",
            partial(_builds_up, strip_number=strip_number),
            likely_db=likely or 0.0,
        )
        yield Finding(
            code="level.build-up",
            **stands.fields,
            message=f"{analysis.name(strip_number)} builds up to {words_db(likely, plus=True)} dBFS at its input",
            strips=analysis.ids([strip_number]),
            figures={"likely_dbfs": likely, "peak_dbfs": peak, "rms_dbfs": rms},
            evidence=(*_ranking(analysis, strip_number), *analysis.level_words(strip_number)),
            remedies=()
            if stands.is_assumed
            else _trim(analysis, strip_number, -math.ceil((likely or 0.0) * 10 - 1e-9) / 10),
        )


def _builds_up(levels: Levels, strip_number: int) -> Severity | None:
    """The finding of a sum at other levels."""
    stages = levels.stages[strip_number]
    return "note" if stages and likely_db(stages[IN]) > 1e-9 else None


explain(
    "level.headroom",
    many="{n} mixes have too little headroom",
    found="The likely peak of a mix leaves less headroom than required, and no limiter is in its chain.",
    why="Mastering or the dub stage will reject it.",
    how=(
        "Headroom is 0 dBFS minus the likely peak at the tap of the mix. It is compared with the value of the mix "
        "or the profile (about 6 dB for an unlimited mix: common practice)."
    ),
    fix="Trim all feeds of the mix by the same amount.",
    decide="Only you know the gain to lower. See the steps on Levels.",
    place="levels",
)

explain(
    "level.operating",
    many="{n} inserts run off their operating level",
    found="The expected level at a compressor, saturator or gate is far from the operating level.",
    why="Presets are made for the operating level. Here they do nothing, or too much.",
    how=(
        "The expected level as a sine (+3.01 dB) is compared with the operating window of the profile "
        "(−18 dBFS: EBU R 68; −20 dBFS: SMPTE RP 155)."
    ),
    fix="Set the source to the operating level.",
)

explain(
    "level.build-up",
    many="{n} buses build up above 0 dBFS",
    found="The likely peak at the input of a bus or master with three or more feeds is above 0 dBFS.",
    why="All inserts after it run too hot, and its fader is pulled down too far.",
    how="Likely peaks add in power: n equal sources rise by 10·log10 n dB (any acoustics handbook).",
    fix="Trim all feeds by the same amount.",
)
