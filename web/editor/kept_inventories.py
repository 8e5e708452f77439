"""A user's inventories: the contents of machines, and the requirements of a template."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

from lattice.checks import audit_of
from lattice.checks.machines import asked_of
from lattice.matters.at_inventory import Product, fails_without
from lattice.matters.effect import level_changes
from lattice.model.inventory import Inventory, inventory_of
from web.editor.what_if import only_in
from web.shelf.models import KeptInventory
from web.shelf.workspace import Workspace

MOST_SHOWN = 12
EXAMPLE = (
    "what,maker,name,version,channel,latency_samples",
    "plug-in,Tern Audio,Glue,2.10,,64",
    "input,,Pulpit,,1,",
)


def as_inventory(kept: KeptInventory) -> Inventory:
    return msgspec.convert(kept.content, Inventory)


def at_machine(space: Workspace, inventory: Inventory) -> dict[str, Any]:
    """What fails at a machine: its sentence, the products it lacks, the audit there beside the current one."""
    without, there = fails_without(space.analysis, inventory)
    names = {strip.id: strip.name for strip in space.template.strips}
    inserts = {insert.id: insert for strip in space.template.strips for insert in strip.inserts}
    now, then = space.audit.findings, audit_of(there).findings if without.missing else space.audit.findings
    coming = [finding for finding in only_in(then, now) if not finding.code.startswith(("plugin.", "io.renamed"))]
    return {
        "sentence": without.sentence(space.template),
        "missing": [_used(one, names) for one in without.missing],
        "unnamed": [(names[strip], inserts[insert]) for strip, insert in without.unnamed[:MOST_SHOWN]],
        "unnamed_count": len(without.unnamed),
        "coming": coming[:MOST_SHOWN],
        "more": len(coming) - MOST_SHOWN,
        "levels": level_changes(space.analysis, there),
        "asked": asked_of(space.template, inventory),
    }


def _used(product: Product, names: dict[str, str]) -> tuple[str, int, list[str]]:
    """A product, how many strips use it, and the first of them."""
    return product.name, len(product.strips), [names[strip] for strip in product.strips[:MOST_SHOWN]]


def inventory_place(space: Workspace, kept: Iterable[KeptInventory], wanted: str) -> dict[str, Any]:
    """The inventories, the selected one, and the requirements it does not meet."""
    template = space.template
    known = list(kept)
    chosen = next((one for one in known if str(one.pk) == wanted), next(iter(known), None))
    shown = as_inventory(chosen) if chosen else None
    at = space.once("at a machine", msgspec.json.encode(shown), lambda: at_machine(space, shown)) if shown else {}
    findings = at.get("asked", [])
    own = [(machine, inventory_of(template, machine)) for machine in template.machines if machine.kind == "computer"]
    return {
        "kept": known,
        "chosen": chosen,
        "inventory": shown,
        "asked": [finding for finding in findings if finding.code != "plugin.missing"],
        "at": at,
        "late_count": sum(finding.code == "plugin.latency" for finding in findings),
        "own": own,
        "example": "\n".join(EXAMPLE),
    }
