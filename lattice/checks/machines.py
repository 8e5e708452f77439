"""Requirements of machines: plug-ins, channel names, memory."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, first_of
from lattice.checks.plugin_latency import latencies
from lattice.checks.registry import check, explain
from lattice.model.document import Template, machine_id
from lattice.model.inventory import Inventory, Listed, key_of, machine_of, used_by, version_of

ASKED = ("plugin.missing", "plugin.older", "plugin.latency")  # in the order of the machine's page


@check("plugin.missing", "plugin.older")
def plugins(analysis: Analysis) -> Iterator[Finding]:
    """Plug-ins that the chosen machine does not have, or has in a lower version."""
    inventory = analysis.inventory
    if inventory is None:
        return
    known = Listed(inventory)
    for key, uses in used_by(analysis.template, machine_of(analysis.template, inventory)).items():
        listed = known.of(key)
        shown = f"{uses[0][2].maker} {uses[0][2].name}".strip()
        code, words = "plugin.missing", f"{shown} is missing at {inventory.name}"
        if listed:
            highest = max((plugin.version for plugin in listed), key=version_of)
            wanted = max((plugin.version for _strip, _insert, plugin in uses), key=version_of)
            if not highest or version_of(highest) >= version_of(wanted):
                continue
            code, words = "plugin.older", f"{inventory.name} has {shown} {highest}; {wanted} is required"
        yield Finding(
            code=code,
            severity="warning",
            message=words,
            strips=tuple(dict.fromkeys(strip.id for strip, _insert, _plugin in uses)),
            inserts=tuple(insert for _strip, insert, _plugin in uses if insert),
            cause=(shown,),
            evidence=first_of([strip.name for strip, _insert, _plugin in uses]),
        )


def asked_of(template: Template, inventory: Inventory) -> list[Finding]:
    """Requirements that an inventory does not meet: missing or different plug-ins and channels.

    Parameters
    ----------
    template
        The template.
    inventory
        The contents of the machine.

    Returns
    -------
    list of Finding
        Of those checks alone: an audit is not needed for it.
    """
    analysis = Analysis(template, inventory)
    known = [*plugins(analysis), *latencies(analysis)]
    return [*sorted(known, key=lambda finding: ASKED.index(finding.code)), *renamed(analysis)]


@check("io.renamed")
def renamed(analysis: Analysis) -> Iterator[Finding]:
    """Physical channels that the chosen machine calls otherwise."""
    inventory = analysis.inventory
    if inventory is None:
        return
    machine = next(one for one in analysis.template.machines if one.id == machine_of(analysis.template, inventory))
    for kind, ours, theirs in (
        ("input", machine.input_names, inventory.input_names),
        ("output", machine.output_names, inventory.output_names),
    ):
        for channel, name in sorted(ours.items(), key=lambda entry: (len(entry[0]), entry[0])):
            other = theirs.get(channel)
            if other is not None and key_of("", other) != key_of("", name):
                using = [
                    strip.id
                    for strip in analysis.template.strips
                    if strip.kind == kind
                    and channel.isdecimal()
                    and int(channel) in (strip.io or ())
                    and machine_id(analysis.template, strip) == machine.id
                ]
                yield Finding(
                    code="io.renamed",
                    severity="note",
                    message=f"{kind.capitalize()} {channel} is {name} here and {other} at {inventory.name}",
                    strips=tuple(using),
                    others=(machine.id, f"{kind}-{channel}"),
                    evidence=(f"{machine.name}, {kind} {channel}",),
                )


@check("budget.memory")
def memory(analysis: Analysis) -> Iterator[Finding]:
    """Machines whose inserts and instruments need more than they have."""
    limits = {machine.id: machine for machine in analysis.template.machines if machine.memory_mb is not None}
    if not limits:
        return
    needs: dict[str, list[tuple[float, int]]] = defaultdict(list)
    for strip_number, strip in enumerate(analysis.template.strips):
        if strip.in_service:
            loaded = sum(insert.memory_mb or 0.0 for insert in strip.inserts if insert.state != "unloaded")
            whole = loaded + (strip.memory_mb or 0.0)
            if whole:
                needs[machine_id(analysis.template, strip)].append((-whole, strip_number))
    for machine in limits.values():
        users = sorted(needs[machine.id])
        whole, most = -sum(size for size, _number in users), machine.memory_mb or 0.0
        if whole > most:
            yield Finding(
                code="budget.memory",
                severity="warning",
                message=f"{machine.name} needs {whole:,.0f} MB (limit {most:,.0f} MB)".replace(",", "\u2009"),
                strips=analysis.ids([strip_number for _size, strip_number in users]),
                others=(machine.id,),
                figures={"memory_mb": whole},
                evidence=first_of([f"{analysis.name(strip_number)}: {-size:,.0f} MB" for size, strip_number in users]),
            )


explain(
    "plugin.missing",
    many="{n} plug-ins are missing",
    found="The inventory of the chosen machine does not list an insert or instrument.",
    why="The template opens with a missing plug-in.",
    how="Maker and name are compared with the inventory.",
    fix="Install the plug-in, or print its output.",
    decide="Only you know whether it can be installed. Install it, or choose another plug-in.",
    place="settings",
)

explain(
    "plugin.older",
    many="{n} plug-ins are older there",
    found="The machine has an older version of the plug-in.",
    why="Settings may not load, or may sound different.",
    how="Version numbers are compared part by part.",
    fix="Update the plug-in on that machine.",
    decide="Only you know whether it can be updated. Update it, or accept the older version.",
    place="settings",
)

explain(
    "io.renamed",
    many="{n} channels have different names there",
    found="The name of a physical channel differs on the chosen machine.",
    why="Patching by name connects the wrong line.",
    how="Names are compared without case and spaces.",
    fix="Rename one of the two.",
)

explain(
    "budget.memory",
    many="{n} machines need more memory than they have",
    found="The inserts and instruments of a machine need more memory than it has.",
    why="The machine swaps, drops out or does not load the template.",
    how="The stated memory is added up per machine.",
    fix="Move instruments to a different machine, or unload inactive ones.",
    decide="Only you know the strips you can spare. Unload inserts, or use another machine.",
    place="settings",
)
