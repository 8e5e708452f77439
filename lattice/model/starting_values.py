"""Where people of the trade begin with an insert, for fields to suggest (all common practice; from memory)."""

from __future__ import annotations

from lattice.model.document import Insert, Strip

# Words in the name of an insert or its strip, and what is then usual; the first that fits a field counts.
BY_WORD: tuple[tuple[str, str, str, str], ...] = (
    ("delay", "slap", "high_cut_hz", "9.5 kHz"),
    ("delay", "slap", "feedback", "25 %"),
    ("delay", "quarter", "feedback", "40 %"),
    ("delay", "1/4", "feedback", "40 %"),
    ("reverb", "plate", "high_cut_hz", "8 kHz"),
    ("reverb", "plate", "pre_delay_ms", "170"),
    ("reverb", "hall", "low_cut_hz", "500"),
    ("eq", "cymbal", "low_cut_hz", "475"),
    ("eq", "overhead", "low_cut_hz", "475"),
    ("eq", "crash", "low_cut_hz", "475"),
    ("eq", "ride", "low_cut_hz", "475"),
    ("eq", "bass", "low_cut_hz", "15"),
    ("eq", "voice", "low_cut_hz", "180"),
    ("compressor", "duck", "threshold_db", "-20"),
    ("compressor", "duck", "ratio", "3"),
)
# By the kind of strip an insert stands on, and its type; "" is any.
BY_KIND: tuple[tuple[str, str, str, str], ...] = (
    ("reverb", "return", "low_cut_hz", "250"),
    ("delay", "return", "low_cut_hz", "250"),
    ("eq", "return", "low_cut_hz", "250"),
    ("compressor", "master", "ratio", "2"),
    ("compressor", "master", "attack_ms", "10"),
    ("compressor", "", "ratio", "4"),
    ("compressor", "", "threshold_db", "-20"),
    ("limiter", "", "ceiling_db", "-1"),
)


def starting_value(strip: Strip, insert: Insert, field: str) -> str:
    """What people begin with in a field of an insert, as it is typed; empty where nothing is usual."""
    if insert.key == "external" and insert.type == "compressor":
        keyed = {"threshold_db": "-20", "ratio": "3"}
        if field in keyed:
            return keyed[field]
    named = f"{insert.name} {strip.name}".casefold()
    for kind, word, wanted, value in BY_WORD:
        if (kind, wanted) == (insert.type, field) and word in named:
            return value
    for kind, host, wanted, value in BY_KIND:
        if (kind, wanted) == (insert.type, field) and host in ("", strip.kind):
            return value
    return ""
