"""A user's inventories: the contents of machines, and the requirements of a template."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

from lattice.checks.machines import asked_of
from lattice.model.document import Template
from lattice.model.inventory import Inventory, inventory_of
from web.shelf.models import KeptInventory

EXAMPLE = (
    "what,maker,name,version,channel,latency_samples",
    "plug-in,Tern Audio,Glue,2.10,,64",
    "input,,Pulpit,,1,",
)


def as_inventory(kept: KeptInventory) -> Inventory:
    return msgspec.convert(kept.content, Inventory)


def inventory_place(template: Template, kept: Iterable[KeptInventory], wanted: str) -> dict[str, Any]:
    """The inventories, the selected one, and the requirements it does not meet."""
    known = list(kept)
    chosen = next((one for one in known if str(one.pk) == wanted), next(iter(known), None))
    shown = as_inventory(chosen) if chosen else None
    findings = asked_of(template, shown) if shown else []
    own = [(machine, inventory_of(template, machine)) for machine in template.machines if machine.kind == "computer"]
    return {
        "kept": known,
        "chosen": chosen,
        "inventory": shown,
        "asked": findings,
        "late_count": sum(finding.code == "plugin.latency" for finding in findings),
        "own": own,
        "example": "\n".join(EXAMPLE),
    }
