"""The Inventory place: what machines have, and what a template asks of one of them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

from lattice.checks import audit
from lattice.model.document import Template
from lattice.model.inventory import Inventory, inventory_of
from web.shelf.models import KeptInventory

ASKED = ("plugin.missing", "plugin.older", "io.renamed")


def as_inventory(kept: KeptInventory) -> Inventory:
    return msgspec.convert(kept.content, Inventory)


def inventory_place(template: Template, kept: Iterable[KeptInventory], wanted: str) -> dict[str, Any]:
    """Inventories that are kept, the chosen one, and what the template misses there."""
    known = list(kept)
    chosen = next((one for one in known if str(one.pk) == wanted), next(iter(known), None))
    shown = as_inventory(chosen) if chosen else None
    findings = [f for f in audit(template, shown).findings if f.code in ASKED] if shown else []
    own = [(machine, inventory_of(template, machine)) for machine in template.machines if machine.kind == "computer"]
    return {
        "kept": known,
        "chosen": chosen,
        "inventory": shown,
        "asked": findings,
        "own": own,
        "bad": {name for f in findings if f.code != "io.renamed" for name in [f.message]},
    }
