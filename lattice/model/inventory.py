"""The contents of a machine: its plug-ins with their versions, and the names of its physical channels."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from typing import Annotated

from msgspec import Meta

from lattice.model.document import Insert, Machine, Piece, SampleRate, Samples, Strip, Template, machine_id


class PlugIn(Piece, frozen=True, kw_only=True):
    """One plug-in of an inventory."""

    name: Annotated[str, Meta(min_length=1, max_length=120)]
    maker: Annotated[str, Meta(max_length=120)] = ""
    version: Annotated[str, Meta(max_length=60)] = ""
    latency_samples: Samples | None = None  # that it reports to the host
    rate_hz: SampleRate | None = None  # at which it does; None: at any


class Inventory(Piece, frozen=True, kw_only=True):
    """A machine's plug-ins and the names of its physical channels.

    `machine` is its id in a template, None for the main one. The names are by channel number, as text.
    """

    name: Annotated[str, Meta(min_length=1, max_length=120)] = "Inventory"
    machine: str | None = None
    plugins: tuple[PlugIn, ...] = ()
    input_names: dict[str, str] = {}
    output_names: dict[str, str] = {}


Key = tuple[str, str]  # maker and name, as they are compared
Uses = dict[Key, list[tuple[Strip, str, PlugIn]]]  # plug-in → strip, insert ("" for an instrument), as named there


def key_of(maker: str, name: str) -> Key:
    """Maker and name as two plug-ins are compared: without case and double spaces."""
    return " ".join(maker.casefold().split()), " ".join(name.casefold().split())


def version_of(text: str) -> tuple[int, ...]:
    """A version's numbers in order, for comparing: 2.10 is above 2.9; trailing zeros count nothing."""
    numbers = [int(number) for number in re.findall(r"\d+", text)]
    while numbers and numbers[-1] == 0:
        numbers.pop()
    return tuple(numbers)


def machine_of(template: Template, inventory: Inventory) -> str:
    """The machine of an inventory: the one with its name, or else the main one."""
    known = [machine.id for machine in template.machines]
    return inventory.machine if inventory.machine in known else known[0]


def other_latencies(template: Template, inventory: Inventory) -> Iterator[tuple[Strip, Insert, int]]:
    """Inserts of the inventory's machine that state another latency than it lists.

    Parameters
    ----------
    template
        The template; entries for another sample rate than its own are ignored.
    inventory
        The list. An entry is of the same plug-in by maker, name and version; one without a version is of any.

    Yields
    ------
    (Strip, Insert, int)
        Where it is, the insert, and the latency in samples that is listed; nothing where a list contradicts itself.
    """
    listed: dict[Key, list[PlugIn]] = defaultdict(list)
    for plugin in inventory.plugins:
        if plugin.latency_samples is not None and plugin.rate_hz in (None, template.sample_rate_hz):
            listed[key_of(plugin.maker, plugin.name)].append(plugin)
    machine = machine_of(template, inventory)
    for strip in template.strips:
        if machine_id(template, strip) == machine:
            for insert in strip.inserts:
                known = _latency_in(listed.get(key_of(insert.maker, insert.name), ()), insert.version)
                if known is not None and known != insert.latency_samples:
                    yield strip, insert, known


def _latency_in(plugins: Sequence[PlugIn], version: str) -> int | None:
    """The latency that entries of one plug-in agree on, those of its version before those of none."""
    same = [plugin for plugin in plugins if plugin.version and version_of(plugin.version) == version_of(version)]
    any_version = [plugin for plugin in plugins if not plugin.version]
    latencies = {plugin.latency_samples for plugin in same or any_version}
    return latencies.pop() if len(latencies) == 1 else None


def used_by(template: Template, machine: str) -> Uses:
    """Plug-ins that the strips of a machine use.

    Parameters
    ----------
    template
        The template.
    machine
        Id of one of its machines.

    Returns
    -------
    dict
        Maker and name, as from `key_of`, to each use: the strip, the id of the insert ("" for an instrument), and the
        plug-in as named there. Outside gear and inserts without a name are left out; an instrument on a computer is a
        plug-in with the strip's name.
    """
    kinds = {known.id: known.kind for known in template.machines}
    uses: Uses = defaultdict(list)
    for strip in template.strips:
        if machine_id(template, strip) != machine:
            continue
        if strip.kind == "instrument" and kinds.get(machine) == "computer":
            uses[key_of("", strip.name)].append((strip, "", PlugIn(name=strip.name)))
        for insert in strip.inserts:
            if insert.name and not insert.traits.is_external:
                plugin = PlugIn(name=insert.name, maker=insert.maker, version=insert.version)
                uses[key_of(insert.maker, insert.name)].append((strip, insert.id, plugin))
    return uses


def unnamed_inserts(template: Template, machine: str) -> Iterator[tuple[Strip, Insert]]:
    """Inserts on a machine that cannot be looked up: they have no name."""
    for strip in template.strips:
        if machine_id(template, strip) == machine:
            nameless = (one for one in strip.inserts if not one.name and not one.traits.is_external)
            yield from ((strip, insert) for insert in nameless)


class Listed:
    """The plug-ins of an inventory by maker and name."""

    def __init__(self, inventory: Inventory) -> None:
        self._by_key: dict[Key, list[PlugIn]] = defaultdict(list)
        self._by_name: dict[str, list[PlugIn]] = defaultdict(list)
        for plugin in inventory.plugins:
            key = key_of(plugin.maker, plugin.name)
            self._by_key[key].append(plugin)
            self._by_name[key[1]].append(plugin)

    def of(self, key: Key) -> list[PlugIn]:
        """Entries of a plug-in; where a template or an inventory names no maker, the name alone has to do."""
        maker, name = key
        return self._by_key[key] or [plugin for plugin in self._by_name[name] if not plugin.maker or not maker]


def missing_uses(template: Template, inventory: Inventory) -> Uses:
    """Uses of plug-ins that an inventory does not list, as `used_by` gives them."""
    listed = Listed(inventory)
    uses = used_by(template, machine_of(template, inventory))
    return {key: found for key, found in uses.items() if not listed.of(key)}


def inventory_of(template: Template, machine: Machine) -> Inventory:
    """The requirements for a machine: each plug-in of a template in the highest version used, and channel names."""
    plugins = []
    for uses in used_by(template, machine.id).values():
        highest = max((plugin for _strip, _insert, plugin in uses), key=lambda plugin: version_of(plugin.version))
        plugins.append(highest)
    plugins.sort(key=lambda plugin: key_of(plugin.maker, plugin.name))
    return Inventory(
        name=machine.name,
        machine=machine.id,
        plugins=tuple(plugins),
        input_names=machine.input_names,
        output_names=machine.output_names,
    )
