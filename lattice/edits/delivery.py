"""Edits of the delivery: the profile, and the host's compensation."""

from __future__ import annotations

from typing import Any

import msgspec
from msgspec.structs import replace

from lattice.edits.arguments import Fields, Text
from lattice.edits.described import edit
from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.model.document import Compensation, Profile, Template
from lattice.profiles import PRESETS, preset


@edit(Fields("changes", piece=Profile), says="Profile: {changes}")
def change_profile(template: Template, changes: dict[str, Any]) -> Template:
    """The profile with some of its figures changed."""
    return replace(template, profile=made(Profile, {**to_plain(template.profile), **changes}))


def _chosen_words(_template: Template, arguments: dict[str, Any]) -> str:
    return f"Profile: {_figures(arguments['preset'])['name']}"


@edit(Text("preset"), says=_chosen_words)
def choose_profile(template: Template, preset: str) -> Template:
    """A profile to start from, by its id, or the figures of a saved one, as JSON.

    Layouts and frame rate stay as they are: they belong to the job, not to the house.
    """
    kept = {"layouts": list(template.profile.layouts), "frame_rate": template.profile.frame_rate}
    return replace(template, profile=made(Profile, _figures(preset) | kept))


def _figures(wanted: str) -> dict[str, Any]:
    if wanted.startswith("{"):
        try:
            return dict(msgspec.to_builtins(msgspec.json.decode(wanted, type=Profile)))
        except msgspec.DecodeError as wrong:
            raise EditError(f"these are not fields of a profile: {wrong}") from None
    if wanted not in {found.id for found in PRESETS}:
        raise EditError(f"“{wanted}” is not one of {', '.join(found.id for found in PRESETS)}")
    return dict(msgspec.to_builtins(preset(wanted).profile))


@edit(Fields("changes", piece=Compensation), says="Compensation: {changes}")
def change_compensation(template: Template, changes: dict[str, Any]) -> Template:
    """The host's compensation, with changed fields."""
    return replace(template, compensation=made(Compensation, {**to_plain(template.compensation), **changes}))
