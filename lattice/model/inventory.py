"""What a machine has: its plug-ins with their versions, and the names of its physical channels."""

from __future__ import annotations

import re
from collections import defaultdict
from typing import Annotated

from msgspec import Meta

from lattice.model.document import Machine, Piece, Strip, Template, machine_id


class PlugIn(Piece, frozen=True, kw_only=True):
    """One plug-in of an inventory."""

    name: Annotated[str, Meta(min_length=1, max_length=120)]
    maker: Annotated[str, Meta(max_length=120)] = ""
    version: Annotated[str, Meta(max_length=60)] = ""


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


def key_of(maker: str, name: str) -> Key:
    """Maker and name as two plug-ins are compared: without case and double spaces."""
    return " ".join(maker.casefold().split()), " ".join(name.casefold().split())


def version_of(text: str) -> tuple[int, ...]:
    """A version's numbers in order, for comparing: 2.10 is above 2.9; trailing zeros count nothing."""
    numbers = [int(number) for number in re.findall(r"\d+", text)]
    while numbers and numbers[-1] == 0:
        numbers.pop()
    return tuple(numbers)


def used_by(template: Template, machine: str) -> dict[Key, list[tuple[Strip, str, PlugIn]]]:
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
        Maker and name, as `key_of` gives them, to each use: the strip, the id of the insert ("" for an instrument), and
        the plug-in as it is named there. Outside gear is none; what stands in an instrument's place on a computer is a
        plug-in by the strip's name.
    """
    kinds = {known.id: known.kind for known in template.machines}
    uses: dict[Key, list[tuple[Strip, str, PlugIn]]] = defaultdict(list)
    for strip in template.strips:
        if machine_id(template, strip) != machine:
            continue
        if strip.kind == "instrument" and kinds.get(machine) == "computer":
            uses[key_of("", strip.name)].append((strip, "", PlugIn(name=strip.name)))
        for insert in strip.inserts:
            if not insert.traits.is_external:
                name = insert.name or insert.type
                plugin = PlugIn(name=name, maker=insert.maker, version=insert.version)
                uses[key_of(insert.maker, name)].append((strip, insert.id, plugin))
    return uses


def inventory_of(template: Template, machine: Machine) -> Inventory:
    """What a machine must have for a template: each of its plug-ins in the highest version used, and channel names."""
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
