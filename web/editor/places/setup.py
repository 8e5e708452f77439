"""The Settings page of a template: rates, time, delivery, machines, sections, choices, inventory."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any, get_args

from django.http import HttpRequest

from lattice.model.choices import SECTION, in_turn
from lattice.model.document import PAN_LAWS_DB, FrameRate, Template
from lattice.model.units import words_db
from lattice.profiles import PRESETS
from web.accounts.signed_in import signed_in_user
from web.editor.kept_inventories import inventory_place
from web.editor.panels import CHOICES
from web.editor.places.base import SETUP, Context, Place, wanted
from web.shelf.models import KeptInventory, KeptProfile

PROFILE_ROWS = (
    ("name", "Name", ""),
    ("sample_rate_hz", "Sample rate", "Hz"),
    ("loudness_lufs", "Loudness", "LUFS"),
    ("loudness_tolerance_lu", "within", "LU"),
    ("true_peak_dbtp", "True peak", "dBTP"),
    ("mix_headroom_db", "Headroom on a mix", "dB"),
    ("operating_level_dbfs", "Operating level", "dBFS, a sine"),
    ("operating_window_db", "within", "dB"),
    ("monitor_limit_ms", "Monitoring", "ms"),
    ("key_tolerance_ms", "Late keys", "ms"),
    ("total_latency_limit_ms", "Total latency", "ms"),
)


def delivery_place(template: Template, kept: Iterable[KeptProfile]) -> dict[str, Any]:
    """Rows of (field, words, value, unit), those of the profile with the source of their figure; profiles kept."""
    profile = template.profile
    known = next((found for found in PRESETS if found.profile.name == profile.name), None)
    rows = []
    for field, words, unit in PROFILE_ROWS:
        value = getattr(profile, field)
        as_known = known is not None and getattr(known.profile, field) == value
        shown = "" if value is None else f"{value:g}".replace("-", "−") if isinstance(value, float) else str(value)
        rows.append((field, words, shown, unit, known.sources.get(field, "") if known and as_known else ""))
    return {
        "profile_rows": rows,
        "presets": PRESETS,
        "kept_profiles": [(one.name, json.dumps(one.figures)) for one in kept],
        "is_known": known is not None,
        "frame_rates": get_args(FrameRate),
        "pan_laws": [(law, words_db(law)) for law in PAN_LAWS_DB],
        "compensation_modes": ("full", "off"),
        "template_rows": (
            ("sample_rate_hz", "Sample rate", template.sample_rate_hz, "Hz"),
            ("buffer_samples", "Buffer", template.buffer_samples, "samples"),
            ("tempo_bpm", "Tempo", f"{template.tempo_bpm:g}", "BPM"),
        ),
    }


def said_once(template: Template) -> dict[str, Any]:
    """Timeline, markers, file tags, choices, sections and machines as their fields show them."""
    names = {strip.id: strip.name for strip in template.strips}
    names |= {f"{SECTION}{section.id}": f"{section.name} (section)" for section in template.sections}
    return {
        "markers": "\n".join(f"{marker.bar} {marker.name}" for marker in template.timeline.markers),
        "tempo_map": "\n".join(f"{event.bar} {event.bpm:g}" for event in template.timeline.tempo),
        "info": "\n".join(f"{name}: {text}" for name, text in template.info.items()),
        "choices": [
            (
                choice,
                [names.get(member.partition("/")[0], member) for member in choice.members],
                "turn" if in_turn(choice) else "state",
            )
            for choice in template.choices
        ],
        "choice_ways": CHOICES["choice_ways"],
        "buses": [strip for strip in template.strips if strip.kind in ("bus", "master")],
        "machine_kinds": ("computer", "outboard"),
        "layouts_asked": " ".join(template.profile.layouts),
    }


def _context(request: HttpRequest, context: Context) -> Context:
    template, owner = context["template"], signed_in_user(request)
    kept = KeptInventory.objects.filter(owner=owner)
    return {
        **inventory_place(context["space"], kept, wanted(request, "of")),
        **delivery_place(template, KeptProfile.objects.filter(owner=owner)),
        **said_once(template),
    }


PLACE = Place("setup", "Settings", SETUP, 0, _context)
