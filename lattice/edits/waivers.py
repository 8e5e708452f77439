"""Edits of waivers: decisions that one finding is intended."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Plain, Text, Words
from lattice.edits.described import edit
from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.model.document import Template, Waiver


@edit(Plain("waivers"), says="Waive findings", permission="waive")
def add_waivers(template: Template, waivers: list[dict[str, Any]]) -> Template:
    """Waivers put down; one of a finding that has one already takes its place."""
    new = tuple(made(Waiver, waiver) for waiver in waivers)
    if any(not waiver.reason.strip() for waiver in new):
        raise EditError("a waiver needs a reason")
    again = {waiver.fingerprint for waiver in new}
    kept = tuple(known for known in template.waivers if known.fingerprint not in again)
    return replace(template, waivers=(*kept, *new))


def _waived_words(_template: Template, arguments: dict[str, Any]) -> str:
    return f"Waive: {arguments.get('message') or arguments['reason']}"


@edit(
    Text("fingerprint"),
    Text("reason", default=""),
    Text("by", "name", default=""),
    Text("on", "date", default=""),
    Text("message", default=""),
    says=_waived_words,
    permission="waive",
)
def waive(
    template: Template,
    fingerprint: str,
    reason: str = "",
    by: str = "",
    on: str = "",
    message: str = "",
) -> Template:
    """A waiver of one finding: reason, name, and date (today by default)."""
    if not reason or not by:
        raise EditError("a waiver needs a reason and a name")
    day = on or datetime.now(UTC).date().isoformat()
    return add_waivers(template, [{"fingerprint": fingerprint, "reason": reason, "by": by, "on": day}])


@edit(Words("fingerprints"), says="Remove waiver", permission="waive")
def remove_waivers(template: Template, fingerprints: list[str]) -> Template:
    """Without some waivers: their findings, where they still are, count again."""
    missing = set(fingerprints) - {waiver.fingerprint for waiver in template.waivers}
    if missing:
        raise EditError(*(f"no waiver of {one} exists" for one in sorted(missing)))
    return replace(template, waivers=tuple(w for w in template.waivers if w.fingerprint not in fingerprints))
