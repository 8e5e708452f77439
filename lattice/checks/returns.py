"""Effect returns that let dry sound through."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.levels.gains import DECORRELATING

EFFECTS = DECORRELATING | {"external", "other"}


@check("route.dry-return")
def dry_returns(scene: Scene) -> Iterator[Finding]:
    """Returns whose effect is on and not fully wet: the dry part doubles what goes straight."""
    for strip in scene.compiled.strips:
        dry = [i for i in strip.inserts if i.type in DECORRELATING and i.state == "on" and i.wet < 1]
        if strip.kind == "return" and dry:
            wet = tuple(Step("change_insert", {"insert": insert.id, "changes": {"wet": 1.0}}) for insert in dry)
            yield Finding(
                code="route.dry-return",
                severity="warning",
                message=f"{strip.name} lets {100 * (1 - dry[0].wet):.0f} % of its input through dry",
                strips=(strip.id,),
                inserts=tuple(insert.id for insert in dry),
                evidence=(", ".join(f"{insert.name or insert.id}: {100 * insert.wet:.0f} % wet" for insert in dry),),
                remedies=(Remedy("Make it fully wet", wet),),
            )


@check("route.return-bare")
def bare_returns(scene: Scene) -> Iterator[Finding]:
    """Fed returns without an effect that is on: they pass dry sound."""
    for number, strip in enumerate(scene.compiled.strips):
        if strip.kind != "return" or not scene.compiled.ins[number]:
            continue
        effects = [insert for insert in strip.inserts if insert.type in EFFECTS]
        if any(insert.state == "on" for insert in effects):
            continue
        wake = tuple(Step("change_insert", {"insert": insert.id, "changes": {"state": "on"}}) for insert in effects[:1])
        why = f"{effects[0].name or effects[0].id} is {effects[0].state}" if effects else "it has no effect insert"
        yield Finding(
            code="route.return-bare",
            severity="warning",
            message=f"{strip.name} passes dry sound",
            strips=(strip.id,),
            inserts=tuple(insert.id for insert in effects),
            evidence=(why,),
            remedies=(Remedy(f"Switch {effects[0].name or effects[0].id} on", wake),) if wake else (),
        )
