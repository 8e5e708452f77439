"""Edits of machines: computers and outside devices, their physical channels and channel names."""

from __future__ import annotations

from typing import Any, Literal

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Fields, Piece, Pieces, Text, Whole, name_of
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, inserted, made, position, put
from lattice.errors import EditError
from lattice.model.document import Machine, Template, machine_id
from lattice.model.names import free_id, slug


@edit(Fields("machine", piece=Machine), says="Add machine {machine}")
def add_machine(template: Template, machine: dict[str, Any]) -> Template:
    """A new machine from plain fields; its id is made from its name where none is given."""
    taken = {known.id for known in template.machines}
    fields = {"id": free_id(slug(str(machine.get("name", ""))), taken), **machine}
    return replace(template, machines=inserted(template.machines, None, made(Machine, fields)))


@edit(Piece("machine", kind="machine"), Fields("changes", piece=Machine), says="{machine}: {changes}")
def change_machine(template: Template, machine: str, changes: dict[str, Any]) -> Template:
    """One machine with some fields changed (plain values)."""
    index = position(template.machines, machine, "machine")
    return replace(template, machines=put(template.machines, index, changed(template.machines[index], changes)))


def _named_words(template: Template, arguments: dict[str, Any]) -> str:
    machine = name_of(template, "machine", arguments["machine"])
    return f"{machine}: {arguments['side']} {arguments['channel']} {arguments['name'] or 'without a name'}"


@edit(
    Piece("machine", kind="machine"),
    Choice("side", options=("input", "output")),
    Whole("channel", low=1, high=1024),
    Text("name", default=""),
    says=_named_words,
)
def name_channel(
    template: Template, machine: str, side: Literal["input", "output"], channel: int, name: str = ""
) -> Template:
    """A physical channel gets a name, or loses it where `name` is empty. Raises EditError beyond the machine's own."""
    index = position(template.machines, machine, "machine")
    old = template.machines[index]
    if side not in ("input", "output"):
        raise EditError(f"{side} is not one of input, output")
    most = old.inputs if side == "input" else old.outputs
    if not 1 <= channel <= most:
        raise EditError(f"{old.name} has no {side} {channel}; it has {most}")
    names = dict(old.input_names if side == "input" else old.output_names)
    names.pop(str(channel), None)
    if name.strip():
        names[str(channel)] = name.strip()
    new = changed(old, {f"{side}_names": names})
    return replace(template, machines=put(template.machines, index, new))


@edit(Pieces("machines", kind="machine"), says="Remove machine {machines}")
def remove_machines(template: Template, machines: list[str]) -> Template:
    """Without some machines. Raises EditError if strips are on one, or none would be left."""
    gone = all_known(template.machines, machines, "machine")
    names = {machine.id: machine.name for machine in template.machines}
    problems = []
    for machine in machines:
        here = sum(machine_id(template, strip) == machine for strip in template.strips)
        if here:
            problems.append(f"{names[machine]} has {here} strips; move them to another machine, or remove them, first")
    if len(gone) == len(template.machines):
        problems.append("a template has at least one machine")
    if problems:
        raise EditError(*problems)
    return replace(template, machines=tuple(machine for machine in template.machines if machine.id not in gone))
