"""One strip's stages: the effect of each insert on its input levels (docs/reference/checks.md, *Levels*)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from lattice.gain_staging.gains import insert_layouts, inside_matrix
from lattice.gain_staging.matrix import SparseRows
from lattice.gain_staging.signal_levels import SignalLevels
from lattice.model.document import Insert, Strip
from lattice.model.insert_types import (
    ACTING,
    COMPRESSING,
    DECORRELATING,
    DUCKING,
    LIMIT_RATIO,
    LIMITING,
    REPEATING,
    SPREADING,
)
from lattice.model.layouts import balance_gains, mapping
from lattice.model.units import gain


class Stage(NamedTuple):
    """Levels at one stage of a strip, and the factors of P, Q and E that all its channels have taken since.

    Most inserts do the same to every channel, so most stages of a chain share their lists.
    """

    levels: SignalLevels
    peak_gain: float = 1.0
    likely_gain: float = 1.0
    rms_gain: float = 1.0


class Even(NamedTuple):
    """Factors of P, Q and E, the same on every channel."""

    p: float
    q: float
    e: float


class ByChannel(NamedTuple):
    """Factors of P, Q and E, channel by channel."""

    p: list[float]
    q: list[float]
    e: list[float]


class Wet(NamedTuple):
    """A reverb, delay or modulation: the dry part stays coherent, the wet part (for power, for P) does not."""

    dry: float
    power: float
    peak: float


Effect = Even | ByChannel | Wet
Carriers = dict[int, tuple[SparseRows, SparseRows]]
FAST_ATTACK_MS = 1.0  # of a compressor that catches peaks: up to this attack (common practice)
TOP_DB = 9999.0  # where gains are typed beyond all reason, a figure stays a number


def stages(strip: Strip, sound: SignalLevels, carriers: Carriers) -> list[Stage]:
    """The stages of a strip, from `in` (first) to `pre` (last), one behind each insert.

    Parameters
    ----------
    strip
        The strip.
    sound
        The levels at its `in`.
    carriers
        Covariance of the carriers' signals, by carrier, for Q and for E.

    Returns
    -------
    list of Stage
        One more than there are inserts. O(inserts · channels).
    """
    now = Stage(sound)
    stages_so_far = [now]
    layout = strip.layout
    for insert in strip.inserts:
        if insert.has_channels:
            now, layout = _channels(insert, layout, now, carriers)
        if (insert.gain_db or insert.type in ACTING) and insert.state == "on":
            now = _on(insert, now, carriers)
        stages_so_far.append(now)
    return stages_so_far


def _channels(insert: Insert, before: str, stage: Stage, carriers: Carriers) -> tuple[Stage, str]:
    """A stage in the layout an insert works in, and that layout."""
    layout_in, layout_out = insert_layouts(insert, before)
    sound = scaled_levels(stage)
    if before != layout_in:
        sound = sound.through(mapping(before, layout_in), unity=False, carriers=carriers)
    inside = inside_matrix(insert, layout_in, layout_out)
    if inside is not None:
        spreads = insert.type in SPREADING and insert.state == "on"
        sound = sound.through(inside, unity=spreads, carriers=carriers)
    return Stage(sound), layout_out


def entering(strip: Strip, found: list[Stage], place: int, carriers: Carriers) -> Stage:
    """The input of the insert at a position: the stage before it, in the insert's own layout.

    Parameters
    ----------
    strip
        The strip.
    found
        Its stages.
    place
        Position in its chain, from 0.
    carriers
        As for `stages`.
    """
    insert = strip.inserts[place]
    if not insert.has_channels:
        return found[place]
    layout = strip.layout
    for earlier in strip.inserts[:place]:
        layout = insert_layouts(earlier, layout)[1]
    return _channels(insert, layout, found[place], carriers)[0]


def depends_on_level(insert: Insert) -> bool:
    """The effect of the insert depends on the level."""
    return insert.state == "on" and (insert.type in COMPRESSING or limits(insert))


def effect(insert: Insert, stage: Stage) -> Effect | None:
    """The gain of an insert at the current levels, without its layouts.

    Parameters
    ----------
    insert
        The insert.
    stage
        The stage before it, in its own layout.

    Returns
    -------
    Effect or None
        Factors of P, Q and E; None where it does nothing.
    """
    if insert.state != "on":
        return None
    sound, peak_gain, likely_gain, rms_gain = stage
    if insert.type in DECORRELATING:
        return wet_part(insert)
    if limits(insert):
        worked = scaled_levels(stage)
        rows = zip(
            *(
                factors(insert, p, math.sqrt(q), math.sqrt(e), 0.0)
                for p, q, e in zip(worked.p, worked.q2, worked.e2, strict=True)
            ),
            strict=True,
        )
        return ByChannel(*map(list, rows))
    p = q = loudest = 0.0
    if insert.type in COMPRESSING:
        loudest = math.sqrt(max(sound.e2)) * rms_gain
        p, q = max(sound.p) * peak_gain, math.sqrt(max(sound.q2)) * likely_gain
    even = factors(insert, p, q, 0.0, loudest)
    return Even(*even) if even != (1.0, 1.0, 1.0) else None


def factors(insert: Insert, p: float, q: float, e: float, loudest: float) -> tuple[float, float, float]:
    """The effect of an active insert on one channel.

    Parameters
    ----------
    insert
        The insert.
    p, q, e
        Amplitudes of worst case, likely peak and expected level on that channel, linear.
    loudest
        E of the loudest channel there, by which a compressor works: a linked detector (common practice).

    Returns
    -------
    tuple of float
        Linear factors of P, Q and E (docs/reference/checks.md, *Levels*: all types in one place).
    """
    kind, wet = insert.type, insert.wet
    if kind in DECORRELATING:
        return _wet_factors(kind, insert.gain_db, wet, insert.feedback)
    dry, level = 1.0 - wet, gain(insert.gain_db)
    if kind in COMPRESSING and insert.threshold_db is not None:
        if catches_peaks(insert) and max(p, q, e, loudest) > gain(insert.threshold_db):
            taken = (_static_gain(insert, amplitude) for amplitude in (p, q, loudest))
            by_p, by_q, by_e = (dry + wet * level * reduction for reduction in taken)
            return by_p, by_q, by_e
        if loudest > gain(insert.threshold_db):
            straight = dry + wet * level
            return straight, straight, dry + wet * level * _static_gain(insert, loudest)
    elif limits(insert):
        top = gain(insert.ceiling_db)  # X' = (1 − w)·X + w·min(X·g, C)
        return (
            dry + wet * (top / p if p * level > top else level),
            dry + wet * (top / q if q * level > top else level),
            dry + wet * (top / e if e * level > top else level),
        )
    straight = dry + wet * level
    return straight, straight, straight


def catches_peaks(insert: Insert) -> bool:
    """A compressor whose attack is short enough to work on peaks (docs/reference/checks.md, *Levels*)."""
    return insert.attack_ms is not None and insert.attack_ms <= FAST_ATTACK_MS


def _static_gain(insert: Insert, amplitude: float) -> float:
    """The linear gain of a compressor's static curve at an amplitude."""
    return gain(-compression_db(insert, 20.0 * math.log10(amplitude))) if amplitude > 0 else 1.0


def limits(insert: Insert) -> bool:
    """It holds levels to a ceiling of its own, where it is on."""
    return insert.type in LIMITING and insert.ceiling_db is not None and insert.key != "external"


def wet_part(insert: Insert) -> Wet:
    """Of a reverb, delay or modulation: its dry part, and its wet part for power and for P."""
    return _wet_part(insert.type, insert.gain_db, insert.wet, insert.feedback)


@lru_cache(maxsize=1 << 14)
def _wet_part(kind: str, gain_db: float, wet: float, feedback: float) -> Wet:
    """A delay's feedback f gives 1/√(1 − f²) in power and 1/(1 − f) at worst (geometric series)."""
    power = peak = gain(gain_db)
    if kind in REPEATING and 0 < feedback < 1:
        power, peak = power / math.sqrt(1 - feedback**2), peak / (1 - feedback)
    return Wet(1.0 - wet, wet * power, wet * peak)


@lru_cache(maxsize=1 << 14)
def _wet_factors(kind: str, gain_db: float, wet: float, feedback: float) -> tuple[float, float, float]:
    done = _wet_part(kind, gain_db, wet, feedback)
    whole = math.hypot(done.dry, done.power)
    return done.dry + done.peak, whole, whole


def _on(insert: Insert, stage: Stage, carriers: Carriers) -> Stage:
    done = effect(insert, stage)
    if done is None:
        return stage
    sound, peak_gain, likely_gain, rms_gain = stage
    if isinstance(done, Even):
        return Stage(sound, peak_gain * done.p, likely_gain * done.q, rms_gain * done.e)
    if isinstance(done, ByChannel):
        return Stage(scaled_levels(stage).scaled((done.p, done.q, done.e)))
    whole = math.hypot(done.dry, done.power)
    if not sound.is_coherent:
        return Stage(sound, peak_gain * (done.dry + done.peak), likely_gain * whole, rms_gain * whole)
    return Stage(scaled_levels(stage).behind_wet(done.dry, done.power, done.dry + done.peak, carriers))


def compression_db(insert: Insert, level_db: float) -> float:
    """The gain reduction of a compressor for E, dB ≥ 0; 0 if it is inactive or keyed externally.

    For a level L above the threshold T it is (L − T) − (L − T)/R: the static curve of a compressor with a hard knee, as
    handbooks have it (e.g. U. Zölzer (ed.), *DAFX*, chapter on dynamics; from memory).
    """
    if insert.type not in COMPRESSING or insert.state != "on" or insert.key == "external":
        return 0.0
    return curve_db(insert, insert.threshold_db, level_db)


def curve_db(insert: Insert, threshold_db: float | None, level_db: float) -> float:
    """Reduction of the static curve for a level, dB ≥ 0; a null threshold or ratio takes nothing."""
    if threshold_db is None or level_db <= threshold_db:
        return 0.0
    over = level_db - threshold_db
    if insert.traits.is_limiter or (insert.ratio is not None and insert.ratio >= LIMIT_RATIO):
        return over
    return 0.0 if insert.ratio is None else over - over / insert.ratio


def duck_db(insert: Insert, key_level_db: float) -> float | None:
    """How far a key pushes an insert down.

    Parameters
    ----------
    insert
        A compressor or limiter that is on and keyed from outside.
    key_level_db
        Level of the key, dBFS.

    Returns
    -------
    float or None
        Reduction of the static curve, dB ≥ 0; None for any other insert.
    """
    if insert.state != "on" or insert.key != "external" or insert.type not in DUCKING:
        return None
    return curve_db(insert, key_threshold_db(insert), key_level_db)


def key_threshold_db(insert: Insert) -> float | None:
    """Where a key begins to work an insert: the threshold, of a limiter without one the ceiling."""
    by_ceiling = insert.traits.is_limiter and insert.threshold_db is None
    return insert.ceiling_db if by_ceiling else insert.threshold_db


def scaled_levels(stage: Stage) -> SignalLevels:
    """A stage's sound with its factors worked in."""
    sound, peak_gain, likely_gain, rms_gain = stage
    if peak_gain == likely_gain == rms_gain == 1.0:
        return sound
    channels = len(sound.p)
    return sound.scaled(([peak_gain] * channels, [likely_gain] * channels, [rms_gain] * channels))


def post_stage(strip: Strip, layout: str, pre: Stage) -> Stage | None:
    """Behind the fader, the balance of a stereo strip and the mute; None where nothing passes."""
    if strip.mute or strip.fader_db is None:
        return None
    sound, peak_gain, likely_gain, rms_gain = pre
    if strip.fader_db:
        level = gain(strip.fader_db)
        peak_gain, likely_gain, rms_gain = peak_gain * level, likely_gain * level, rms_gain * level
    if strip.pan and layout == "stereo":
        left, right = balance_gains(strip.pan)
        if sound.coherence is None and sound.turns is None:
            (p, other_p), (q2, other_q2), (e2, other_e2) = sound.p, sound.q2, sound.e2
            left2, right2 = left * left, right * right
            sound = SignalLevels(
                [p * left, other_p * right], [q2 * left2, other_q2 * right2], [e2 * left2, other_e2 * right2]
            )
            return Stage(sound, peak_gain, likely_gain, rms_gain)
        rows = tuple([by * left, by * right] for by in (peak_gain, likely_gain, rms_gain))
        return Stage(sound.scaled((rows[0], rows[1], rows[2])))
    return Stage(sound, peak_gain, likely_gain, rms_gain)


def level_of(power: list[float], by: float) -> float:
    """Level of the loudest channel of a stage, dBFS; −∞ for silence.

    Parameters
    ----------
    power
        By channel, squares of amplitudes.
    by
        Linear factor that all of them take.
    """
    loudest = max(power) * by * by
    return min(10.0 * math.log10(loudest), TOP_DB) if loudest > 0 else -math.inf


def likely_db(stage: Stage) -> float:
    """Likely peak of a stage's loudest channel, dBFS; −∞ for silence."""
    return level_of(stage.levels.q2, stage.likely_gain)


@dataclass(frozen=True)
class ChannelFigures:
    """A stage by channel, dBFS; None is silence."""

    peak_dbfs: tuple[float | None, ...]
    likely_dbfs: tuple[float | None, ...]
    rms_dbfs: tuple[float | None, ...]

    @property
    def loudest(self) -> tuple[float | None, float | None, float | None]:
        """P, Q and E of the loudest channel of each."""
        rows = (self.peak_dbfs, self.likely_dbfs, self.rms_dbfs)
        peak, likely, rms = (max((x for x in row if x is not None), default=None) for row in rows)
        return peak, likely, rms


def figures(stage: Stage) -> ChannelFigures:
    """A stage by channel, in dBFS."""
    sound, peak_gain, likely_gain, rms_gain = stage
    return ChannelFigures(
        tuple(shown_db(p * p * peak_gain * peak_gain) for p in sound.p),
        tuple(shown_db(q * likely_gain * likely_gain) for q in sound.q2),
        tuple(shown_db(e * rms_gain * rms_gain) for e in sound.e2),
    )


def shown_db(power: float) -> float | None:
    """Level of a power, dB, at most TOP_DB; None for silence."""
    if not power > 0:
        return None
    return min(10.0 * math.log10(power), TOP_DB)


@dataclass(frozen=True)
class InsertFigures:
    """An insert: its output stage and its gain."""

    behind: ChannelFigures
    reduction_db: float
    pushed_db: float
    duck_db: float | None = None
    duck_peak_db: float | None = None


def pushed_db(insert: Insert, before: Stage) -> float:
    """How far P is above the ceiling of a limiter, clipper or saturator.

    Parameters
    ----------
    insert
        The insert; its `gain_db` works before the ceiling.
    before
        The stage before it.

    Returns
    -------
    float
        dB ≥ 0; 0 below the ceiling and without one.
    """
    if insert.state != "on" or not limits(insert) or insert.ceiling_db is None:
        return 0.0
    sound, peak_gain = before.levels, before.peak_gain
    level_db = level_of([p * p for p in sound.p], peak_gain)
    return max(level_db + insert.gain_db - insert.ceiling_db, 0.0)
