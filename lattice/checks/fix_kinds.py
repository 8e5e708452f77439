"""Kinds of fixes, in the order in which they are offered, and the fixes that only the user may decide on.

Causes come before symptoms: a route explains a level, a level explains no route (docs/reference/causes.md, *Fixes*).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from lattice.model.edit_step import EditStep

FIX_KINDS = ("route", "state", "key", "latency", "stem", "gain", "ceiling", "midi", "tag", "setting")
RANK = {kind: rank for rank, kind in enumerate(FIX_KINDS)}

OF_ROUTE_KIND = {"key": "key", "midi": "midi"}
# By edit; the others are decided by the fields that change.
OF_EDIT = {
    "connect": "route",
    "connect_many": "route",
    "connect_pairwise": "route",
    "remove_routes": "route",
    "untie": "route",
    "wire_up": "route",
    "outlet_set": "route",
    "dissolve_bus": "route",
    "duck": "key",
    "add_stem": "stem",
    "change_stem": "stem",
    "deliver": "stem",
    "print_stem": "stem",
    "split_return": "stem",
    "change_source": "gain",
    "change_sources": "gain",
    "move_source": "gain",
    "state_levels": "gain",
    "keep_for_later": "tag",
    "take_latencies": "latency",
}
OF_STRIP_FIELD = {
    **dict.fromkeys(("mute", "in_service", "monitor", "armed"), "state"),
    **dict.fromkeys(("latency_samples", "measured_latency_samples"), "latency"),
    **dict.fromkeys(("fader_db", "source", "pan", "invert"), "gain"),
    "records": "stem",
    "tags": "tag",
}
OF_INSERT_FIELD = {
    "state": "state",
    "key": "key",
    "latency_samples": "latency",
    **dict.fromkeys(("gain_db", "wet", "threshold_db", "feedback"), "gain"),
    "ceiling_db": "ceiling",
}
OF_ROUTE_FIELD = {
    **dict.fromkeys(("enabled", "tap", "channels", "to", "from"), "route"),
    "gain_db": "gain",
    **dict.fromkeys(("port", "channel"), "midi"),
}
OF_FIELDS: dict[str, dict[str, str]] = {
    "change_strip": OF_STRIP_FIELD,
    "change_strips": OF_STRIP_FIELD,
    "change_insert": OF_INSERT_FIELD,
    "change_route": OF_ROUTE_FIELD,
    "change_outlet": {"open": "state"},
}


def kind_of(steps: Sequence[EditStep]) -> str:
    """The kind of a fix: the first in order among those of its steps."""
    return min((_kind_of_step(step) for step in steps), key=RANK.__getitem__, default="setting")


def _kind_of_step(step: EditStep) -> str:
    if step.edit in OF_EDIT:
        return OF_EDIT[step.edit]
    if step.edit == "add_route":
        return OF_ROUTE_KIND.get(step.arguments["route"].get("kind", "feed"), "route")
    if step.edit == "add_insert":
        return "ceiling" if step.arguments["insert"].get("ceiling_db") is not None else "setting"
    kinds = OF_FIELDS.get(step.edit, {})
    changed = step.arguments.get("changes", {})
    return min((kinds.get(field, "setting") for field in changed), key=RANK.__getitem__, default="setting")


def _changes(*fields: str) -> Callable[[dict[str, Any]], bool]:
    return lambda arguments: not set(fields).isdisjoint(arguments.get("changes", {}))


# Levels, low cuts, rates, tags, closed outlets, detectors: nothing of these is decided by a plan.
ASKED: dict[str, Callable[[dict[str, Any]], bool]] = {
    "change_strip": _changes("source", "tags"),
    "change_strips": _changes("source", "tags"),
    "change_source": lambda _arguments: True,
    "change_sources": lambda _arguments: True,
    "move_source": lambda _arguments: True,
    "state_levels": lambda _arguments: True,
    "keep_for_later": lambda _arguments: True,
    "change_insert": _changes("key", "low_cut_hz", "high_cut_hz"),
    "change_outlet": lambda arguments: arguments.get("changes", {}).get("open") is False,
    "change_template": _changes("sample_rate_hz", "frame_rate"),
    "change_profile": _changes("sample_rate_hz", "frame_rate"),
    "change_machine": _changes("sample_rate_hz"),
}


def only_user_decides(steps: Sequence[EditStep]) -> bool:
    """Return whether a step states levels, tags, low cuts, rates or detectors, or closes an outlet."""
    return any(step.edit in ASKED and ASKED[step.edit](step.arguments) for step in steps)
