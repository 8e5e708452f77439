"""What a delivery asks for: the profile, and what the host compensates."""

from __future__ import annotations

import msgspec
from django.http import QueryDict

from lattice.checks import Step
from lattice.errors import EditError
from lattice.model.document import Template
from lattice.profiles import PRESETS, preset
from web.editor.fields import COMPENSATION_FIELDS, PROFILE_FIELDS, changes_of, one, words_of
from web.editor.writers.common import Written


def change_profile(data: QueryDict, template: Template) -> Written:
    changes = changes_of(data, PROFILE_FIELDS, template)
    whole = msgspec.to_builtins(template.profile) | changes
    return f"Profile: {words_of(changes)}", [Step("change_template", {"changes": {"profile": whole}})]


def choose_profile(data: QueryDict, template: Template) -> Written:
    """One of the profiles to start from; layouts and frame rate stay as they are."""
    wanted = one(data, "preset")
    if wanted not in {found.id for found in PRESETS}:
        raise EditError(f"“{wanted}” is not one of {', '.join(found.id for found in PRESETS)}")
    kept = {"layouts": list(template.profile.layouts), "frame_rate": template.profile.frame_rate}
    chosen = preset(wanted).profile
    whole = msgspec.to_builtins(chosen) | kept
    return f"Profile: {chosen.name}", [Step("change_template", {"changes": {"profile": whole}})]


def change_compensation(data: QueryDict, template: Template) -> Written:
    changes = changes_of(data, COMPENSATION_FIELDS, template)
    whole = msgspec.to_builtins(template.compensation) | changes
    return f"Compensation: {words_of(changes)}", [Step("change_template", {"changes": {"compensation": whole}})]
