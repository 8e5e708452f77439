"""What a delivery asks for: the profile, and what the host compensates."""

from __future__ import annotations

from typing import Any

import msgspec
from django.http import QueryDict

from lattice.errors import EditError
from lattice.model.document import Profile, Template
from lattice.model.edit_step import EditStep
from lattice.profiles import PRESETS, preset
from web.editor.fields import COMPENSATION_FIELDS, PROFILE_FIELDS, changes_of, one, words_of
from web.editor.writers.common import Written


def change_profile(data: QueryDict, template: Template) -> Written:
    changes = changes_of(data, PROFILE_FIELDS, template)
    whole = msgspec.to_builtins(template.profile) | changes
    return f"Profile: {words_of(changes)}", [EditStep("change_template", {"changes": {"profile": whole}})]


def choose_profile(data: QueryDict, template: Template) -> Written:
    """One of the profiles to start from, or one that was kept; layouts and frame rate stay as they are."""
    wanted = one(data, "preset")
    figures = _kept(wanted) if wanted.startswith("{") else _known(wanted)
    kept = {"layouts": list(template.profile.layouts), "frame_rate": template.profile.frame_rate}
    return f"Profile: {figures['name']}", [EditStep("change_template", {"changes": {"profile": figures | kept}})]


def _known(wanted: str) -> dict[str, Any]:
    if wanted not in {found.id for found in PRESETS}:
        raise EditError(f"“{wanted}” is not one of {', '.join(found.id for found in PRESETS)}")
    return dict(msgspec.to_builtins(preset(wanted).profile))


def _kept(figures: str) -> dict[str, Any]:
    """The figures of a kept profile, as the page sends them."""
    try:
        return dict(msgspec.to_builtins(msgspec.json.decode(figures, type=Profile)))
    except msgspec.DecodeError as wrong:
        raise EditError(f"these are not the figures of a profile: {wrong}") from None


def change_compensation(data: QueryDict, template: Template) -> Written:
    changes = changes_of(data, COMPENSATION_FIELDS, template)
    whole = msgspec.to_builtins(template.compensation) | changes
    return f"Compensation: {words_of(changes)}", [EditStep("change_template", {"changes": {"compensation": whole}})]
