"""From what a form says to edits: each writer turns posted text into a label and steps.

What cannot be read, or names what is not there, raises EditError with a sentence.
"""

from __future__ import annotations

from web.editor.writers import delivery, inserts, instruments, machines, routes, sections, stems, strips
from web.editor.writers.common import Writer

WRITERS: dict[str, Writer] = {
    function.__name__: function
    for function in (
        sections.change_template,
        delivery.change_profile,
        delivery.choose_profile,
        delivery.change_compensation,
        strips.change_strip,
        strips.change_source,
        strips.remove_strip,
        strips.move_strip,
        strips.spread,
        routes.connect,
        routes.change_route,
        routes.remove_route,
        instruments.add_outlet,
        instruments.change_outlet,
        instruments.remove_outlet,
        instruments.change_midi,
        instruments.add_part,
        instruments.change_part,
        instruments.remove_part,
        instruments.lay_parts,
        instruments.number_midi,
        instruments.note_set,
        instruments.outlet_set,
        instruments.build_instrument,
        inserts.add_insert,
        inserts.change_insert,
        inserts.move_insert,
        inserts.remove_insert,
        machines.add_machine,
        machines.change_machine,
        machines.name_channel,
        machines.remove_machine,
        sections.add_section,
        sections.change_section,
        sections.move_section,
        sections.duplicate_section,
        sections.remove_section,
        stems.add_stem,
        stems.change_stem,
        stems.remove_stem,
        stems.add_rule,
        stems.change_rule,
        stems.remove_rule,
        stems.waive,
        stems.unwaive,
    )
}

__all__ = ["WRITERS"]
