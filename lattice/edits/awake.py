"""Awake: a template with every sleeping insert on, to compare with it as it stands."""

from __future__ import annotations

import msgspec

from lattice.model.document import Template


def awake(template: Template) -> Template:
    """The same template with every bypassed or unloaded insert on; the same object where none sleeps."""
    strips = tuple(
        msgspec.structs.replace(
            strip, inserts=tuple(msgspec.structs.replace(insert, state="on") for insert in strip.inserts)
        )
        if any(insert.state != "on" for insert in strip.inserts)
        else strip
        for strip in template.strips
    )
    asleep = any(old is not new for old, new in zip(template.strips, strips, strict=True))
    return msgspec.structs.replace(template, strips=strips) if asleep else template
