"""Digests of a template and of its sections: equal exactly if the contents are."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from typing import Any

import msgspec

from lattice.formats.document_json import dump
from lattice.model.document import Template

REST = ""  # strips that are in no section


def document_digest(template: Template) -> str:
    """SHA-256 of the canonical form, in hex: a release is signed by it."""
    return hashlib.sha256(dump(template)).hexdigest()


def section_digests(template: Template) -> dict[str, str]:
    """A digest for each section.

    Returns
    -------
    dict
        Section id → SHA-256 in hex of the section, its strips and every route that begins or ends at one of them.
        Strips without a section are under REST. O(strips + routes).
    """
    of_strip = {strip.id: strip.section or REST for strip in template.strips}
    parts: dict[str, list[Any]] = defaultdict(list)
    for section in template.sections:
        parts[section.id].append(section)
    for strip in template.strips:
        parts[strip.section or REST].append(strip)
    for route in template.routes:
        for section_id in dict.fromkeys((of_strip[route.from_strip], of_strip[route.to])):
            parts[section_id].append(route)
    return {name: hashlib.sha256(msgspec.json.encode(pieces)).hexdigest() for name, pieces in parts.items()}
