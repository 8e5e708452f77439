"""Machines: add, change, remove; names of their physical channels."""

from __future__ import annotations

from django.http import QueryDict

from lattice.model.document import Machine, Template
from lattice.model.edit_step import EditStep
from web.editor.fields import MACHINE_FIELDS, changes_of, named, one, whole
from web.editor.writers.common import Written, changed_piece, removed_piece


def add_machine(data: QueryDict, template: Template) -> Written:
    machine = changes_of(data, MACHINE_FIELDS, template)
    return f"Add machine {machine.get('name', '')}", [EditStep("add_machine", {"machine": machine})]


def change_machine(data: QueryDict, template: Template) -> Written:
    return changed_piece(data, template, "machine", MACHINE_FIELDS, "machine_id")


def name_channel(data: QueryDict, template: Template) -> Written:
    """The name of one physical input or output."""
    machine: Machine = named(template.machines, one(data, "machine_id"), "machine")
    channel = changes_of(data, {"channel": whole}, template)["channel"]
    name, side = data.get("name", "").strip(), one(data, "side")
    arguments = {"machine": machine.id, "side": side, "channel": channel, "name": name}
    return f"{machine.name}: {side} {channel} {name or 'without a name'}", [EditStep("name_channel", arguments)]


def remove_machine(data: QueryDict, template: Template) -> Written:
    return removed_piece(data, template, "machine", "Remove machine", "machine_id")
