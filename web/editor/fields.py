"""What forms may say about each kind of piece, and how it is read as people type it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import QueryDict

from lattice.errors import EditError
from lattice.model.document import Template
from lattice.model.units import (
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

Reader = Callable[[str, Template], Any]


def _text(text: str, _template: Template) -> str:
    return text.strip()


def _or_none(text: str, _template: Template) -> str | None:
    return text.strip() or None


def _yes(text: str, _template: Template) -> bool:
    return text.lower() in {"on", "true", "yes", "1"}


def _tags(text: str, _template: Template) -> list[str]:
    return list(dict.fromkeys(text.replace(",", " ").replace(";", " ").lower().split()))


def _list(text: str, _template: Template) -> list[str]:
    """Ids or selectors, with spaces or commas between."""
    return list(dict.fromkeys(text.replace(",", " ").split()))


def _channels(text: str, _template: Template) -> list[str | int] | None:
    """Names or numbers of channels; nothing typed is none."""
    found = text.replace(",", " ").split()
    return [int(word) if word.isdecimal() else word for word in found] or None


def _samples(text: str, template: Template) -> int:
    return parse_samples(text, template.sample_rate_hz)


def _plain(read: Callable[[str], Any]) -> Reader:
    """A reader that needs only the text."""
    return lambda text, _template: read(text)


def _optional(read: Reader) -> Reader:
    """Nothing typed is none."""
    return lambda text, template: read(text, template) if text.strip() else None


db, level, whole = _plain(parse_db), _plain(parse_level), _plain(parse_whole)
ms, hz, memory = _optional(_plain(parse_ms)), _optional(_plain(parse_hz)), _optional(_plain(parse_mb))

STRIP_FIELDS: dict[str, Reader] = {
    "name": _text, "kind": _text, "layout": _text, "section": _or_none, "machine": _or_none, "colour": _or_none,
    "note": _text, "tags": _tags, "in_service": _yes, "mute": _yes, "invert": _yes, "armed": _yes, "monitor": _text,
    "records": _text, "fader_db": db, "pan": _plain(parse_pan), "io": _plain(parse_channels),
    "latency_samples": _samples, "measured_latency_samples": _optional(_samples), "memory_mb": memory,
}  # fmt: skip
ROUTE_FIELDS: dict[str, Reader] = {
    "enabled": _yes, "automated": _yes, "tap": _text, "gain_db": db, "pan": _plain(parse_pan), "port": _optional(whole),
    "channel": _optional(whole),
}  # fmt: skip
INSERT_FIELDS: dict[str, Reader] = {
    "name": _text, "type": _text, "maker": _text, "version": _text, "state": _text, "key": _text,
    "latency_samples": _samples, "measured_latency_samples": _optional(_samples), "layout_in": _or_none,
    "layout_out": _or_none, "gain_db": level, "wet": _plain(parse_share), "threshold_db": _optional(level),
    "ratio": _optional(_plain(parse_ratio)), "ceiling_db": _optional(level), "attack_ms": ms, "release_ms": ms,
    "low_cut_hz": hz, "high_cut_hz": hz, "delay_ms": ms, "pre_delay_ms": ms, "feedback": _plain(parse_factor),
    "io_out": _plain(parse_channels), "io_in": _plain(parse_channels), "memory_mb": memory,
}  # fmt: skip
OUTLET_FIELDS: dict[str, Reader] = {"name": _text, "layout": _text, "open": _yes, "main": _yes}
PART_FIELDS: dict[str, Reader] = {
    "name": _text, "port": whole, "channel": _optional(whole), "note": _optional(whole), "outlet": _or_none,
}  # fmt: skip
MACHINE_FIELDS: dict[str, Reader] = {
    "name": _text, "kind": _text, "inputs": whole, "outputs": whole, "midi_ports": whole, "memory_mb": memory,
    "input_latency_samples": _samples, "output_latency_samples": _samples, "tie_latency_samples": _samples,
    "sample_rate_hz": _optional(whole),
}  # fmt: skip
SECTION_FIELDS: dict[str, Reader] = {"name": _text, "colour": _or_none, "parent": _or_none, "bus": _or_none}
TEMPLATE_FIELDS: dict[str, Reader] = {
    "name": _text, "note": _text, "sample_rate_hz": whole, "buffer_samples": whole,
    "tempo_bpm": lambda text, _template: float(text.replace(",", ".")), "frame_rate": _or_none,
    "pan_law_db": level,
}  # fmt: skip
PROFILE_FIELDS: dict[str, Reader] = {
    "name": _text, "sample_rate_hz": whole, "loudness_lufs": _optional(level), "loudness_tolerance_lu": level,
    "true_peak_dbtp": level, "mix_headroom_db": level, "operating_level_dbfs": level, "operating_window_db": level,
    "monitor_limit_ms": _plain(parse_ms), "key_tolerance_ms": _plain(parse_ms), "total_latency_limit_ms": ms,
}  # fmt: skip
COMPENSATION_FIELDS: dict[str, Reader] = {
    "mode": _text, "limit_samples": _optional(_samples), "covers_keys": _yes, "covers_ties": _yes,
    "covers_prints": _yes,
}  # fmt: skip
STEM_FIELDS: dict[str, Reader] = {
    "name": _text, "role": _text, "set": _text, "of": _list, "returns": _text, "strip": _or_none, "tap": _text,
    "print": _or_none, "layout": _text, "mix_headroom_db": _optional(level), "true_peak_dbtp": _optional(level),
}  # fmt: skip
RULE_FIELDS: dict[str, Reader] = {
    "name": _text, "kind": _text, "sources": _list, "through": _list, "to": _list, "channels": _channels,
}  # fmt: skip


def changes_of(data: QueryDict, fields: dict[str, Reader], template: Template) -> dict[str, Any]:
    """The posted fields, read. Raises EditError naming each that cannot be."""
    changes, problems = {}, []
    for field, read in fields.items():
        if field in data:
            try:
                changes[field] = read(data[field], template)
            except ValueError as wrong:
                said = str(wrong) if "“" in str(wrong) else f"“{data[field]}” is not a number"
                problems.append(f"{plain_name(field)}: {said}")
    if problems:
        raise EditError(*problems)
    if not changes:
        raise EditError("nothing to change was given")
    return changes


def one(data: QueryDict, name: str) -> str:
    if not data.get(name):
        raise EditError(f"{name} is missing")
    return str(data[name])


def named(pieces: tuple[Any, ...], wanted: str, word: str) -> Any:
    found = next((piece for piece in pieces if piece.id == wanted), None)
    if found is None:
        raise EditError(f"there is no {word} {wanted}; it may have been removed")
    return found


UNITS = ("_db", "_ms", "_hz", "_mb", "_samples", "_dbfs")


def plain_name(field: str) -> str:
    """measured_latency_samples → measured latency"""
    for unit in UNITS:
        field = field.removesuffix(unit)
    return field.replace("_", " ")


def words_of(changes: dict[str, Any]) -> str:
    """What an edit changes, for the journal: “fader −6, mute off”."""
    return ", ".join(f"{plain_name(field)} {_shown(value)}" for field, value in changes.items())


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}".replace("-", "−")
    return (
        "none" if value in (None, []) else " ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
    )
