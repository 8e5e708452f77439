"""How figures are written: true minus, units after a thin space, thin spaces as thousands marks."""

from __future__ import annotations

from typing import Any

from django import template

register = template.Library()
THIN = "\u2009"


@register.filter
def db(level: float | None, unit: str = "") -> str:
    """−6.0, off; with a unit: −6.0 dB."""
    if level is None:
        return "off"
    text = f"{level:.1f}".replace("-", "−")
    return f"{text}{THIN}{unit}" if unit else text


@register.filter
def whole(number: float | None) -> str:
    """1 408"""
    return "" if number is None else f"{number:,.0f}".replace(",", THIN).replace("-", "−")


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
    """loop_gain_db → loop gain"""
    return name.rsplit("_", 1)[0].replace("_", " ")


@register.filter
def item(mapping: dict[str, Any], key: str) -> Any:
    return mapping.get(key)
