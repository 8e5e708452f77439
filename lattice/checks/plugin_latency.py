"""Inserts that state another latency than the chosen machine's list has of them."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.model.edit_step import EditStep
from lattice.model.inventory import other_latencies


@check("plugin.latency")
def latencies(analysis: Analysis) -> Iterator[Finding]:
    """One for each insert; the remedy takes the latency that is listed."""
    inventory = analysis.inventory
    if inventory is None:
        return
    for strip, insert, listed in other_latencies(analysis.template, inventory):
        change = EditStep("change_insert", {"insert": insert.id, "changes": {"latency_samples": listed}})
        stated = insert.latency_samples
        yield Finding(
            code="plugin.latency",
            severity="warning",
            message=f"{insert.name} on {strip.name} states {stated} samples, and {inventory.name} lists {listed}",
            strips=(strip.id,),
            inserts=(insert.id,),
            figures={"over_samples": abs(listed - stated)},
            cause=(f"{insert.maker} {insert.name}".strip(),),
            evidence=(f"{insert.maker or 'maker not stated'}, version {insert.version or 'not stated'}",),
            remedies=(Remedy(f"Take {listed} samples", (change,)),),
        )


explain(
    "plugin.latency",
    many="{n} inserts state another latency than listed",
    found="An insert states another latency than the chosen inventory lists for the same maker, name and version.",
    why="What is compensated, and when keys arrive, is computed from the stated one.",
    how="Entries of the template's rate, or of any, are compared; a list that contradicts itself says nothing.",
    fix="Take the latency that is listed, or measure it and correct the list.",
)
