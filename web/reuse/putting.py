"""The preview of a block, or of strips of another template, by the parameters of the address."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import QueryDict

from lattice.edits.add_block import LEAVE, MAKE, Placed, placed, usual_ties
from lattice.edits.whole_import import ties_to_sums
from lattice.model.block import Block
from lattice.model.document import Strip, Template

MOST_CHOICES = 200  # strips that an end is offered; more are found by their id in the address
BUT_ENDS = "but-ends"  # all strips of another template but its outputs and masters
WAYS = ("free", "keep")
WAY_WORDS = (("names", "existing names"), ("channels", "used channels"), ("midi", "MIDI channels"))
WORDS = {
    "end": "Open ends", "strip": "Ids", "name": "Names", "channels": "Physical channels", "midi": "MIDI channels",
    "section": "Sections", "machine": "Machines", "route": "Routes", "stem": "Stems",
    "choice": "Choices", "rule": "Rules",
}  # fmt: skip


def choices_in(asked: QueryDict) -> dict[str, Any]:
    """The parameters of the address for adding a block."""
    ties = {name.removeprefix("tie-"): asked[name] for name in asked if name.startswith("tie-")}
    share = {name.removeprefix("share-"): asked[name] for name in asked if name.startswith("share-") and asked[name]}
    ways = {name: asked[name] for name in ("names", "channels", "midi") if asked.get(name) in WAYS}
    return {"ties": ties, "share": share, **ways}


def put(template: Template, block: Block, asked: QueryDict) -> Placed:
    """The template with the block in it, as the address wants it. Raises EditError."""
    choices = choices_in(asked)
    return placed(template, block, **{**choices, "ties": {**proposed(template, block, asked), **choices["ties"]}})


def proposed(template: Template, block: Block, asked: QueryDict) -> dict[str, str]:
    """The tie of each open end that the page proposes."""
    return (ties_to_sums if asked.get("take") == BUT_ENDS else usual_ties)(template, block)


def ends(template: Template, block: Block, asked: QueryDict) -> list[dict[str, Any]]:
    """Each open end with its destination, and the alternatives."""
    stands = {strip.id: strip for strip in block.template.strips}
    tied = {**proposed(template, block, asked), **choices_in(asked)["ties"]}
    rows = []
    for end in block.ends:
        strip = stands[end.strip]
        usual = [(MAKE, f"add {strip.name}"), (LEAVE, "leave open")]
        rows.append(
            {
                "id": end.strip,
                "words": end.name,
                "name": strip.name,
                "tied": tied[end.strip],
                "options": [*usual, *_like(template, strip)],
            }
        )
    return rows


def _like(template: Template, strip: Strip) -> list[tuple[str, str]]:
    """Strips of the same kind, then the other sums, as far as they are shown."""
    same = [one for one in template.strips if one.kind == strip.kind]
    sums = [one for one in template.strips if one.kind in ("bus", "master") and one.kind != strip.kind]
    return [(one.id, one.name) for one in (*same, *sums)[:MOST_CHOICES]]


def clashing(template: Template, block: Block, asked: QueryDict) -> list[dict[str, Any]]:
    """Strips of the block that are there already by name and kind, and whether those are shared."""
    share: Mapping[str, str] = choices_in(asked)["share"]
    there: dict[tuple[str, str], Strip] = {(s.name.casefold(), s.kind): s for s in reversed(template.strips)}
    found = []
    for strip in block.strips:
        known = there.get((strip.name.casefold(), strip.kind))
        if known is not None:
            found.append({"id": strip.id, "name": strip.name, "there": known.id, "is_shared": strip.id in share})
    return found


def happens(found: Placed) -> list[tuple[str, list[str]]]:
    """The result for each piece, by kind."""
    rows: dict[str, list[str]] = {}
    for one in found.happens:
        rows.setdefault(WORDS[one.what], []).append(f"{one.was} → {one.becomes}")
    return [(words, rows[words]) for words in WORDS.values() if words in rows]
