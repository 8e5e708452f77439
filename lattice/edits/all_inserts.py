"""All on, and all bypassed: a template with every insert on, or with all processing off, for comparison."""

from __future__ import annotations

from typing import Literal

from msgspec.structs import replace

from lattice.model.document import Strip, Template


def all_on(template: Template) -> Template:
    """The same template with every bypassed or unloaded insert on; the same object where none sleeps."""
    return _all(template, "on", frozenset(("bypassed", "unloaded")))


def all_bypassed(template: Template) -> Template:
    """The same template with every insert that is on bypassed; the same object where none is on."""
    return _all(template, "bypassed", frozenset(("on",)))


def _all(template: Template, state: Literal["on", "bypassed"], of: frozenset[str]) -> Template:
    """Every insert in one of some states put into another."""

    def after(strip: Strip) -> Strip:
        if not any(insert.state in of for insert in strip.inserts):
            return strip
        inserts = (replace(insert, state=state) if insert.state in of else insert for insert in strip.inserts)
        return replace(strip, inserts=tuple(inserts))

    strips = tuple(map(after, template.strips))
    is_other = any(old is not new for old, new in zip(template.strips, strips, strict=True))
    return replace(template, strips=strips) if is_other else template
