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
    """One for each insert; the fix applies the listed latency."""
    inventory = analysis.inventory
    if inventory is None:
        return
    for strip, insert, listed in other_latencies(analysis.template, inventory):
        change = EditStep("change_insert", {"insert": insert.id, "changes": {"latency_samples": listed}})
        stated = insert.reported_samples
        yield Finding(
            code="plugin.latency",
            severity="warning",
            message=f"{insert.name} on {strip.name} has {stated} samples; {inventory.name} lists {listed}",
            strips=(strip.id,),
            inserts=(insert.id,),
            figures={"over_samples": abs(listed - stated)},
            cause=(f"{insert.maker} {insert.name}".strip(),),
            evidence=(f"{insert.maker or 'maker not stated'}, version {insert.version or 'not stated'}",),
            remedies=(Remedy(f"Set to {listed} samples", (change,)),),
        )


explain(
    "plugin.latency",
    many="{n} inserts differ from the listed latency",
    found=(
        "The latency of an insert differs from the entry in the chosen inventory for the same maker, name and version."
    ),
    why="Compensation and key timing are computed from the latency of the insert.",
    how=(
        "Entries at the rate of the template, or without a rate, are compared. A list with two different values "
        "is ignored."
    ),
    fix="Apply the listed latency, or measure it and correct the list.",
    decide="Only you know the right latency. Measure it, or correct the list.",
    place="settings",
)
