"""What fails without the plug-ins that a machine lacks: silent instruments, dry effects, ducks, stems that change."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from lattice.analysis import Analysis
from lattice.edits.at_inventory import without_uses
from lattice.gain_staging.chain import level_of
from lattice.graph.signal_graph import STAGE_OF_TAP
from lattice.model.document import Insert, Stem, Strip, Template
from lattice.model.insert_types import DECORRELATING, DUCKING
from lattice.model.inventory import Inventory, machine_of, missing_uses, unnamed_inserts, used_by

STEM_CHANGE_DB = 0.5  # of a stem's expected level that is worth a word


@dataclass(frozen=True)
class Product:
    """One plug-in that a machine lacks."""

    name: str  # with its maker
    strips: tuple[str, ...]  # ids of the strips that use it


@dataclass(frozen=True)
class Without:
    """A template at a machine, beside what it is elsewhere.

    Attributes
    ----------
    inventory : str
        Name of the machine's inventory.
    needed : int
        Number of products that the template uses there.
    missing : tuple of Product
        Those of them that the machine lacks, by name.
    silent, dry, unducked : tuple of str
        Ids of instruments without sound, of strips without their effect, of strips that no key works on any more.
    stems : tuple of str
        Ids of stems whose expected level changes by more than 0.5 dB.
    unnamed : tuple of (str, str)
        Strip and insert of inserts without a name, which cannot be looked up.
    """

    inventory: str
    needed: int
    missing: tuple[Product, ...]
    silent: tuple[str, ...]
    dry: tuple[str, ...]
    unducked: tuple[str, ...]
    stems: tuple[str, ...]
    unnamed: tuple[tuple[str, str], ...]

    def sentence(self, template: Template) -> str:
        """“Without these 3 of 41: Room is dry, Bass is not ducked, 2 stems change by more than 0.5 dB”."""
        if not self.missing:
            return f"{self.inventory} has all {self.needed} products"
        names = {strip.id: strip.name for strip in template.strips}
        said = [f"{names[strip]} is silent" for strip in self.silent]
        said += [f"{names[strip]} is dry" for strip in self.dry]
        said += [f"{names[strip]} is not ducked" for strip in self.unducked]
        if self.stems:
            many = "1 stem changes" if len(self.stems) == 1 else f"{len(self.stems)} stems change"
            said.append(f"{many} by more than {STEM_CHANGE_DB} dB")
        what = "this one" if len(self.missing) == 1 else f"these {len(self.missing)}"
        return f"Without {what} of {self.needed}: {', '.join(said) or 'no level changes by more than 0.5 dB'}"

    def as_json(self, template: Template) -> dict[str, Any]:
        """The form of `audit --at --json`."""
        return {
            "inventory": self.inventory, "needed": self.needed, "sentence": self.sentence(template),
            "missing": [{"name": one.name, "strips": list(one.strips)} for one in self.missing],
            "silent": list(self.silent), "dry": list(self.dry), "unducked": list(self.unducked),
            "stems": list(self.stems),
            "unnamed": [{"strip": strip, "insert": insert} for strip, insert in self.unnamed],
        }  # fmt: skip


def fails_without(before: Analysis, inventory: Inventory) -> tuple[Without, Analysis]:
    """What fails at a machine, and the analysis of the template there.

    Parameters
    ----------
    before
        The template with everything at hand.
    inventory
        The contents of one of its machines.
    """
    template = before.template
    missing = missing_uses(template, inventory)
    there = without_uses(template, missing)
    after = before if there is template else Analysis(there, inventory)
    machine = machine_of(template, inventory)
    products = [
        Product(
            f"{uses[0][2].maker} {uses[0][2].name}".strip(), tuple(dict.fromkeys(strip.id for strip, *_rest in uses))
        )
        for uses in missing.values()
    ]
    silent = [strip.id for uses in missing.values() for strip, insert, _plugin in uses if not insert]
    pairs = list(zip(template.strips, there.strips, strict=True))
    return Without(
        inventory.name, len(used_by(template, machine)),
        tuple(sorted(products, key=lambda one: one.name.casefold())),
        tuple(silent),
        tuple(old.id for old, new in pairs if old.kind == "return" and _is_wet(old) and not _is_wet(new)),
        tuple(old.id for old, new in pairs if old is not new and _ducks(before, old) and not _ducks(after, new)),
        tuple(_changed_stems(before, after)),
        tuple((strip.id, insert.id) for strip, insert in unnamed_inserts(template, machine)),
    ), after  # fmt: skip


def _is_wet(strip: Strip) -> bool:
    return any(insert.state == "on" and insert.type in DECORRELATING for insert in strip.inserts)


def _ducks(analysis: Analysis, strip: Strip) -> bool:
    """Some key works on the strip."""
    return any(_is_ducker(insert) and analysis.levels.key_level_db(insert) is not None for insert in strip.inserts)


def _is_ducker(insert: Insert) -> bool:
    return insert.state == "on" and insert.key == "external" and insert.type in DUCKING


def _changed_stems(before: Analysis, after: Analysis) -> Iterator[str]:
    for stem in before.template.stems:
        was, now = (_expected_db(analysis, stem) for analysis in (before, after))
        if was != now and not abs(now - was) <= STEM_CHANGE_DB:
            yield stem.id


def _expected_db(analysis: Analysis, stem: Stem) -> float:
    """The expected level of a stem at its tap; −∞ for silence."""
    number = analysis.graph.index.get(stem.strip or "", -1)
    stage = analysis.levels.at(number, STAGE_OF_TAP[stem.tap]) if number >= 0 else None
    return -math.inf if stage is None else level_of(stage.levels.e2, stage.rms_gain)
