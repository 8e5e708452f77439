"""Edits of waivers: decisions that one finding is intended."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.model.document import Template, Waiver


def add_waivers(template: Template, waivers: list[dict[str, Any]]) -> Template:
    """Waivers put down; one of a finding that has one already takes its place."""
    new = tuple(made(Waiver, waiver) for waiver in waivers)
    if any(not waiver.reason.strip() for waiver in new):
        raise EditError("a waiver needs its reason")
    again = {waiver.fingerprint for waiver in new}
    kept = tuple(known for known in template.waivers if known.fingerprint not in again)
    return replace(template, waivers=(*kept, *new))


def remove_waivers(template: Template, fingerprints: list[str]) -> Template:
    """Without some waivers: their findings, where they still are, count again."""
    missing = set(fingerprints) - {waiver.fingerprint for waiver in template.waivers}
    if missing:
        raise EditError(*(f"there is no waiver of {one}" for one in sorted(missing)))
    return replace(template, waivers=tuple(w for w in template.waivers if w.fingerprint not in fingerprints))
