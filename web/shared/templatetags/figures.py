"""How figures are written: true minus, units after a thin space, thin spaces as thousands marks."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable
from typing import Any

from django import template
from django.utils.html import format_html

from lattice.formats.track_sheet_cells import midi_in_text
from lattice.model.document import MidiIn
from lattice.model.names import joined
from lattice.model.units import words_db

register = template.Library()
THIN = "\u2009"


@register.filter
def comma(loop: dict[str, Any]) -> str:
    """Between the turns of a loop, not behind the last."""
    return "" if loop["last"] else ","


@register.filter
def keys(text: str) -> str:
    """Text with `…` as keys."""
    parts = text.split("`")
    marked = ("<kbd>{}</kbd>" if at % 2 else "{}" for at in range(len(parts)))
    return format_html("".join(marked), *parts)


@register.filter
def db(level: float | None, unit: str = "") -> str:
    """−6.0, off; with a unit: −6.0 dB."""
    if level is None:
        return "off"
    return f"{words_db(level)}{THIN}{unit}" if unit else words_db(level)


@register.filter
def dbfs(level: float | None) -> str:
    """A level, to 0.1 dB; −∞ for silence."""
    return words_db(level)


@register.filter
def about(level: str, is_assumed: object) -> str:
    """A level in words, with ~ before it where it rests on assumed sources."""
    return f"~{THIN}{level}" if is_assumed else level


@register.filter
def has(group: Collection[str] | None, one: str) -> bool:
    """Return whether an id is in a set; an absent set has none."""
    return one in (group or ())


@register.filter
def figure_or_dash(level: float | None) -> str:
    """A level that was measured, to 0.01 dB; a dash for none."""
    return "–" if level is None else f"{level:.2f}".replace("-", "−")


@register.filter
def exact(level: float | None) -> str:
    """A level as computed, to 0.0001 dB."""
    return "−∞" if level is None or level == -math.inf else f"{level:.4f}".replace("-", "−")


@register.filter
def minus(one: float, other: float) -> float:
    return max(round(one - other, 1), 0.0)


@register.filter
def percent_of(share: float, width: int) -> float:
    """A length in px."""
    return round(max(0.0, min(share, 100.0)) * width / 100, 1)


@register.filter
def whole(number: float | None) -> str:
    """A whole number in groups of three: 1 408."""
    return "" if number is None else f"{number:,.0f}".replace(",", THIN).replace("-", "−")


@register.filter
def signed_db(change_db: float | None) -> str:
    """A change of level: ±0.0 dB, +2.0 dB, −∞ dB; nothing for none."""
    if change_db is None:
        return ""
    if change_db == math.inf:
        return "from silence"
    if change_db == -math.inf:
        return f"−∞{THIN}dB"
    text = f"{change_db:+.1f}".replace("-", "−")
    return f"{'±0.0' if text in ('+0.0', '−0.0') else text}{THIN}dB"


@register.filter
def signed_samples(change: int) -> str:
    """A change of latency: ±0, +64 samples."""
    text = f"{change:+,d}".replace(",", THIN).replace("-", "−") if change else "±0"
    return f"{text}{THIN}samples"


FIGURE_UNITS = {"db": "dB", "ms": "ms", "samples": "samples", "hz": "Hz", "dbfs": "dBFS"}


@register.filter
def figure(value: float | None, name: str) -> str:
    """A finding's figure with the unit its name ends in."""
    unit = FIGURE_UNITS.get(name.rsplit("_", 1)[-1], "")
    if value is None:
        return f"−∞{THIN}{unit}"
    decimals = 0 if unit == "samples" else 1
    return f"{value:,.{decimals}f}{THIN}{unit}".replace(",", THIN).replace("-", "−")


@register.filter
def figure_name(name: str) -> str:
    """The name of a figure as people read it: loop_gain_db is “loop gain”."""
    return name.rsplit("_", 1)[0].replace("_", " ")


@register.filter
def midi_in(midi: MidiIn | None) -> str:
    """The ports and channels of an instrument: 2: all, 1: 1, 2, 10."""
    return midi_in_text(midi)


@register.filter
def in_a_row(names: Iterable[str]) -> str:
    """All names in a row; semicolons keep names with commas apart."""
    known = list(names)
    return joined(known, len(known))


@register.filter
def item(mapping: dict[str, Any], key: str) -> Any:
    return mapping.get(key)
