"""Edits by name, so that a remedy, a form and a journal can all say which edit they mean."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterable
from typing import Any

import msgspec

from lattice.edits import (
    batches,
    buses,
    channels,
    copies,
    inserts,
    instruments,
    machines,
    outlets,
    parts,
    routes,
    rules,
    sections,
    spread,
    stems,
    strips,
    template,
    waivers,
)
from lattice.errors import EditError
from lattice.formats.gate import passed
from lattice.model.document import Template
from lattice.model.edit_step import EditStep

Edit = Callable[..., Template]

EDITS: dict[str, Edit] = {
    function.__name__: function
    for function in (
        template.change_template,
        strips.add_strip,
        strips.change_strip,
        strips.change_strips,
        strips.move_strips,
        strips.remove_strips,
        spread.spread,
        sections.add_section,
        sections.change_section,
        sections.move_section,
        sections.remove_sections,
        inserts.add_insert,
        inserts.change_insert,
        inserts.move_insert,
        inserts.remove_inserts,
        outlets.add_outlet,
        outlets.change_outlet,
        outlets.remove_outlets,
        routes.add_route,
        routes.change_route,
        routes.remove_routes,
        machines.add_machine,
        machines.change_machine,
        machines.name_channel,
        machines.remove_machines,
        parts.add_part,
        parts.change_part,
        parts.remove_parts,
        parts.lay_parts,
        copies.duplicate,
        copies.duplicate_section,
        instruments.outlet_set,
        instruments.note_set,
        batches.batch_routes,
        batches.untie,
        batches.batch_inserts,
        batches.move_and_refeed,
        batches.rename,
        batches.colour_by_section,
        channels.number_channels,
        channels.number_midi,
        buses.insert_bus,
        buses.dissolve_bus,
        buses.insert_to_return,
        stems.add_stem,
        stems.change_stem,
        stems.remove_stems,
        stems.print_stem,
        stems.split_return,
        rules.add_rule,
        rules.change_rule,
        rules.remove_rules,
        waivers.add_waivers,
        waivers.remove_waivers,
    )
}


def apply(template: Template, edit: str, arguments: dict[str, Any]) -> Template:
    """The template after one edit. Raises EditError or DocumentError with what is wrong, nothing changed."""
    return apply_steps(template, [EditStep(edit, arguments)])


def apply_steps(template: Template, steps: Iterable[EditStep]) -> Template:
    """The template after all steps, as one edit: validated once, however many there are."""
    before = template
    for step in steps:
        template = _edited(template, step.edit, step.arguments)
    return passed(before, template)


def _edited(template: Template, edit: str, arguments: dict[str, Any]) -> Template:
    function = EDITS.get(edit)
    if function is None:
        raise EditError(f"there is no edit {edit}; known are {', '.join(EDITS)}")
    try:
        inspect.signature(function).bind(template, **arguments)
    except TypeError as error:
        raise EditError(f"{edit}: {error}") from None
    try:
        return function(template, **arguments)
    except (TypeError, AttributeError, msgspec.ValidationError) as error:  # arguments of another shape than it takes
        raise EditError(f"{edit}: these are not its arguments ({error})") from None
