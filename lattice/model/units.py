"""Decibels and samples."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

# Silence as a level, so that comparisons with it need no special case.
SILENT_DB = -math.inf
# Beyond this a level is a typing mistake; a bound keeps products of gains finite.
MAX_ABS_DB = 2000.0


@lru_cache(maxsize=8192)  # a template uses few levels, and each of them thousands of times
def gain(level_db: float | None) -> float:
    """Linear gain of a level: 10^(dB/20).

    Parameters
    ----------
    level_db
        Level, dB; None is off. Beyond ±2000 dB it counts as ±2000, so that products stay finite.

    Returns
    -------
    float
        From 0 (off) up.
    """
    if level_db is None:
        return 0.0
    return math.pow(10.0, max(-MAX_ABS_DB, min(level_db, MAX_ABS_DB)) / 20.0)


def decibels(linear: float) -> float:
    """Level of a linear gain: 20·log10, −∞ for 0."""
    return 20.0 * math.log10(linear) if linear > 0 else SILENT_DB


def words_db(level_db: float | None, *, plus: bool = False) -> str:
    """A level as sentences have it: to 0.1 dB, with a real minus sign; −∞ for silence.

    Parameters
    ----------
    level_db
        Level or difference, dB; None is off.
    plus
        Whether a difference above 0 has its plus sign.
    """
    if level_db is None or level_db == SILENT_DB:
        return "−∞"
    return f"{level_db:+.1f}".replace("-", "−") if plus else f"{level_db:.1f}".replace("-", "−")


def samples_to_ms(samples: float, sample_rate_hz: int) -> float:
    """Time in ms of a number of samples at a rate in Hz."""
    return samples * 1000.0 / sample_rate_hz


_OFF_WORDS = frozenset({"off", "-inf", "-infinity", "-∞", "-oo"})


def _plain(text: str) -> str:
    """Lower case, no spaces of any width, one kind of minus, a decimal point."""
    squeezed = "".join(text.split()).lower().replace("−", "-").replace("–", "-")
    return squeezed.replace(",", ".") if squeezed.count(",") == 1 and "." not in squeezed else squeezed


def _number(text: str, what: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise ValueError(f"“{text}” is not {what}") from None
    if not math.isfinite(value):
        raise ValueError(f"“{text}” is not {what}")
    return value


def parse_db(text: str) -> float | None:
    """A level as people type it: “-6”, “−6 dB”, “-6,5”, “off”.

    Returns
    -------
    float or None
        dB; None for off.

    Raises
    ------
    ValueError
        With a sentence that states the allowed values.
    """
    plain = _plain(text)
    if plain in _OFF_WORDS:
        return None
    for unit in ("dbfs", "db"):
        plain = plain.removesuffix(unit)
    return _number(plain, "a level: a number in dB, like -6, or off")


def parse_level(text: str) -> float:
    """A gain that has no off: “+3”, “−6 dB”. Raises ValueError with a sentence."""
    level_db = parse_db(text)
    if level_db is None:
        raise ValueError(f"“{text}” is not a gain: a number in dB")
    return level_db


def parse_share(text: str) -> float:
    """A share from 0 to 1: “0.4”, “40 %”, “40”. Raises ValueError with a sentence."""
    what = "a share: 0 to 100 %, or 0 to 1"
    value = _fraction(text, what, 1.0)
    if not 0 <= value <= 1:
        raise ValueError(f"“{text}” is not {what}")
    return value


def parse_pan(text: str) -> float:
    """A pan position: “-0.5”, “L50”, “R”, “C”. Left is negative. Raises ValueError with a sentence."""
    plain = _plain(text)
    what = "a pan position: a number from -1 to 1, or L, C, R, L50"
    if plain in {"c", "center", "centre"}:
        return 0.0
    side = {"l": -1.0, "r": 1.0}.get(plain[:1])
    value = _number(plain, what) if side is None else side * (_number(plain[1:], what) / 100 if plain[1:] else 1.0)
    if not -1 <= value <= 1:
        raise ValueError(f"“{text}” is not {what}")
    return value


def parse_samples(text: str, sample_rate_hz: int) -> int:
    """A latency in samples: “64”, “64 smp”, or “1.3 ms” at the given rate in Hz. Raises ValueError with a sentence."""
    plain = _plain(text)
    what = "a latency: samples like 64, or milliseconds like 1.3 ms"
    if plain.endswith("ms"):
        samples = _number(plain[:-2], what) * sample_rate_hz / 1000
    else:
        for unit in ("samples", "sample", "smp"):
            plain = plain.removesuffix(unit)
        samples = _number(plain, what)
    if samples < 0 or samples > 1e9:
        raise ValueError(f"“{text}” is not {what} of at least 0")
    return round(samples)


def parse_channels(text: str) -> tuple[int, ...] | None:
    """Physical channels from 1 to 1024: “3-4”, “1, 2, 5”, “7”; nothing is None. Raises ValueError with a sentence."""
    numbers: list[int] = []
    for span in text.replace("–", "-").replace(";", ",").replace(" ", ",").split(","):
        first, dash, last = span.partition("-")
        if not span:
            continue
        if not first.isdecimal() or (dash and not last.isdecimal()) or len(span) > 9 or int(first) < 1:
            raise ValueError(f"“{text}” is not a list of channels like 3-4 or 1, 2, 5")
        numbers.extend(range(int(first), int(last or first) + 1))
    if max(numbers, default=0) > 1024:
        raise ValueError(f"“{text}” goes beyond channel 1024")
    return tuple(numbers) or None


def parse_ms(text: str) -> float:
    """A time in ms: “12”, “12 ms”, “1.2 s”. Raises ValueError with a sentence."""
    plain = _plain(text)
    what = "a time: milliseconds like 12, or seconds like 1.2 s"
    value = _scaled(plain, (("ms", 1.0), ("s", 1000.0)), what)
    return _from_zero(value, text, what)


def parse_hz(text: str) -> float:
    """A frequency in Hz: “180”, “180 Hz”, “2.5 kHz”, “2.5k”. Raises ValueError with a sentence."""
    plain = _plain(text)
    what = "a frequency: a number in Hz, or like 2.5 kHz"
    return _from_zero(_scaled(plain, (("khz", 1000.0), ("hz", 1.0), ("k", 1000.0)), what), text, what)


def parse_mb(text: str) -> float:
    """An amount of memory in MB: “120”, “120 MB”, “1.5 GB”. Raises ValueError with a sentence."""
    plain = _plain(text)
    what = "an amount of memory: a number in MB, or like 1.5 GB"
    return _from_zero(_scaled(plain, (("gb", 1024.0), ("mb", 1.0), ("g", 1024.0), ("m", 1.0)), what), text, what)


def parse_factor(text: str) -> float:
    """A feedback: “0.4”, “40 %”, “110 %”, “40”. Raises ValueError with a sentence."""
    what = "a factor from 0 on, like 0.4 or 40 %"
    return _from_zero(_fraction(text, what, MOST_AS_FACTOR), text, what)


MOST_AS_FACTOR = 2.0  # no delay repeats louder than this: a feedback typed as 25 is 25 %


def _fraction(text: str, what: str, most_as_factor: float) -> float:
    """A number with or without “%”; without it, a number above any plausible factor is a percentage."""
    plain = _plain(text)
    value = _number(plain.removesuffix("%"), what)
    return value / 100 if plain.endswith("%") or value > most_as_factor else value


LIMITING_RATIO = 100.0  # docs/reference/model.md: a ratio of 100 or more is a limiter's, ∞:1


def parse_ratio(text: str) -> float:
    """A ratio: “4”, “4:1”, “∞:1” (100). Raises ValueError with a sentence."""
    plain = _plain(text).removesuffix(":1")
    what = "a ratio above 0, like 4, 4:1 or ∞"
    value = LIMITING_RATIO if plain in ("∞", "inf", "infinity", "oo") else _number(plain, what)
    if value <= 0:
        raise ValueError(f"“{text}” is not {what}")
    return value


def parse_whole(text: str) -> int:
    """A whole number: “48000”, “48 000”. Raises ValueError with a sentence."""
    plain = _plain(text)
    if not plain.isascii() or not plain.removeprefix("-").isdecimal() or len(plain) > 12:
        raise ValueError(f"“{text}” is not a whole number")
    return int(plain)


def _scaled(plain: str, units: tuple[tuple[str, float], ...], what: str) -> float:
    for unit, factor in units:
        if plain.endswith(unit):
            return _number(plain.removesuffix(unit), what) * factor
    return _number(plain, what)


def _from_zero(value: float, text: str, what: str) -> float:
    if value < 0:
        raise ValueError(f"“{text}” is not {what} of at least 0")
    return value


def channel_span(channels: Sequence[int]) -> str:
    """Physical channels in short: “3–4”, or “5” for one."""
    return f"{channels[0]}–{channels[-1]}" if len(channels) > 1 else str(channels[0])
