"""Units as people type them."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest

from lattice.model.units import (
    decibels,
    gain,
    parse_channels,
    parse_db,
    parse_factor,
    parse_hz,
    parse_level,
    parse_mb,
    parse_ms,
    parse_pan,
    parse_ratio,
    parse_samples,
    parse_share,
    parse_whole,
)


@pytest.mark.parametrize(
    ("read", "text", "expected"),
    [
        (parse_db, "-6", -6.0),
        (parse_db, "−6 dB", -6.0),
        (parse_db, "-6,5", -6.5),
        (parse_db, "+3dB", 3.0),
        (parse_db, "0.0\u2009dB", 0.0),
        (parse_db, "-18 dBFS", -18.0),
        (parse_db, "off", None),
        (parse_db, "−∞", None),
        (parse_level, "+3", 3.0),
        (parse_share, "40 %", 0.4),
        (parse_share, "0,25", 0.25),
        (parse_share, "40", 0.4),
        (parse_share, "1", 1.0),
        (parse_pan, "C", 0.0),
        (parse_pan, "L", -1.0),
        (parse_pan, "R50", 0.5),
        (parse_pan, "-0.25", -0.25),
        (lambda text: parse_samples(text, 48000), "64 smp", 64),
        (lambda text: parse_samples(text, 48000), "1.3 ms", 62),
        (parse_ms, "12", 12.0),
        (parse_ms, "1.2 s", 1200.0),
        (parse_ms, "0,5 ms", 0.5),
        (parse_hz, "180 Hz", 180.0),
        (parse_hz, "2.5k", 2500.0),
        (parse_hz, "2,5 kHz", 2500.0),
        (parse_mb, "120", 120.0),
        (parse_mb, "1.5 GB", 1536.0),
        (parse_factor, "40 %", 0.4),
        (parse_factor, "1.1", 1.1),
        (parse_factor, "25", 0.25),
        (parse_factor, "2", 2.0),
        (parse_factor, "110", 1.1),
        (parse_ratio, "4:1", 4.0),
        (parse_ratio, "∞:1", 100.0),
        (parse_whole, "48 000", 48000),
        (parse_whole, "-3", -3),
        (parse_channels, "3-4", (3, 4)),
        (parse_channels, "1, 2 5", (1, 2, 5)),
        (parse_channels, "", None),
    ],
)
def test_read(read: Callable[[str], object], text: str, expected: object) -> None:
    assert read(text) == expected


@pytest.mark.parametrize(
    ("read", "text"),
    [
        (parse_level, "off"), (parse_share, "140 %"), (parse_share, "some"), (parse_db, "loud"), (parse_db, ""), (parse_db, "1e999"), (parse_db, "nan"), (parse_pan, "L150"), (parse_pan, "2"),
        (lambda text: parse_samples(text, 48000), "-3"), (lambda text: parse_samples(text, 48000), "soon"),
        (parse_ms, "-1 ms"), (parse_ms, "1 h"), (parse_hz, "high"), (parse_mb, "-5"), (parse_factor, "-0.1"), (parse_ratio, "0"), (parse_ratio, "x:1"), (parse_whole, "1.5"), (parse_whole, "½"),
        (parse_channels, "3-x"), (parse_channels, "0"), (parse_channels, "1-99999"),
    ],
)  # fmt: skip
def test_refused_with_a_sentence_that_quotes_it(read: Callable[[str], object], text: str) -> None:
    with pytest.raises(ValueError, match="“"):
        read(text)


def test_decibels_and_gain_are_inverse_and_never_overflow() -> None:
    assert decibels(gain(-7.25)) == pytest.approx(-7.25)
    assert decibels(0.0) == -math.inf
    assert gain(None) == 0.0
    assert math.isfinite(gain(1e308))
