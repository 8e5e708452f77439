"""Instruments: outlets, parts, what they receive and play."""

from __future__ import annotations

from typing import Any

from django.http import QueryDict

from lattice.errors import EditError
from lattice.formats.document_json import to_plain
from lattice.formats.track_sheet_cells import read_midi_in
from lattice.model.document import Outlet, Part, Strip, Template
from lattice.model.edit_step import EditStep
from lattice.model.names import free_id, slug
from web.editor.fields import OUTLET_FIELDS, PART_FIELDS, changes_of, named, one, whole, words_of
from web.editor.writers.common import Written


def change_outlet(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    outlet: Outlet = named(strip.outlets, one(data, "outlet"), "outlet")
    changes = changes_of(data, OUTLET_FIELDS, template)
    arguments = {"strip": strip.id, "outlet": outlet.id, "changes": changes}
    return f"{strip.name} {outlet.name or outlet.id}: {words_of(changes)}", [EditStep("change_outlet", arguments)]


def add_outlet(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    outlet = changes_of(data, {field: OUTLET_FIELDS[field] for field in ("name", "layout")}, template)
    return f"{strip.name}: outlet {outlet.get('name', '')}", [
        EditStep("add_outlet", {"strip": strip.id, "outlet": outlet})
    ]


def remove_outlet(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    outlet: Outlet = named(strip.outlets, one(data, "outlet"), "outlet")
    label = f"{strip.name}: remove outlet {outlet.name or outlet.id}"
    return label, [EditStep("remove_outlets", {"strip": strip.id, "outlets": [outlet.id]})]


def change_midi(data: QueryDict, template: Template) -> Written:
    """What an instrument receives, as “2: all” or “1: 1-4, 10”."""
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    text = data.get("midi", "").strip()
    try:
        midi = to_plain(read_midi_in(text)) if text else None
    except ValueError as wrong:
        raise EditError(f"midi: {wrong}") from None
    return f"{strip.name}: receives {text or 'one port, all channels'}", [
        EditStep("change_strip", {"strip": strip.id, "changes": {"midi": midi}})
    ]


def add_part(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    part = changes_of(data, PART_FIELDS, template)
    return f"{strip.name}: part {part.get('name', '')}", [EditStep("add_part", {"strip": strip.id, "part": part})]


def change_part(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    part: Part = named(strip.parts, one(data, "part"), "part")
    changes = changes_of(data, PART_FIELDS, template)
    arguments = {"strip": strip.id, "part": part.id, "changes": changes}
    return f"{strip.name} {part.name or part.id}: {words_of(changes)}", [EditStep("change_part", arguments)]


def remove_part(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    part: Part = named(strip.parts, one(data, "part"), "part")
    label = f"{strip.name}: remove part {part.name or part.id}"
    return label, [EditStep("remove_parts", {"strip": strip.id, "parts": [part.id]})]


def lay_parts(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    return f"{strip.name}: parts over the open outlets", [EditStep("lay_parts", {"strip": strip.id})]


def number_midi(data: QueryDict, template: Template) -> Written:
    """What plays an instrument (or the chosen strips of it) gets ports and channels in sequence."""
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    at = {"port": 1, "channel": 1, **changes_of(data, {"port": whole, "channel": whole}, template)}
    players = {route.from_strip for route in template.routes if route.kind == "midi" and route.to == strip.id}
    chosen = [known for known in data.get("chosen_strips", "").split() if known in players]
    arguments = {"instrument": strip.id, "strips": chosen or None, **at}
    return f"{strip.name}: channels in sequence from port {at['port']}, channel {at['channel']}", [
        EditStep("number_midi", arguments)
    ]


def note_set(data: QueryDict, template: Template) -> Written:
    """Midi strips on the next free channels, one for each line."""
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    names = [name for name in data.get("names", "").splitlines() if name.strip()]
    return f"{len(names)} midi strips for {strip.name}", [EditStep("note_set", {"strip": strip.id, "names": names})]


def outlet_set(data: QueryDict, template: Template) -> Written:
    strip: Strip = named(template.strips, one(data, "strip"), "strip")
    return f"Listen to the outlets of {strip.name}", [EditStep("outlet_set", {"strip": strip.id})]


PALETTE = ("#8a4b2d", "#2d6488", "#5b7a35", "#7a4a86", "#a06a1f", "#2f7d74", "#8a3550", "#565f9c")
FIRST_NOTE = 36  # bass drum 1 of the General MIDI percussion map; parts go up from there
MOST_NAMES = 96


def build_instrument(data: QueryDict, template: Template) -> Written:
    """An instrument from a list of names: each a part on an outlet and strip of its own, or a midi strip that plays it.

    In a section that is there, or in a new one of the instrument's name with colour and bus.
    """
    name = data.get("name", "").strip() or "Instrument"
    names = [line.strip() for line in data.get("names", "").splitlines() if line.strip()]
    if not 1 <= len(names) <= MOST_NAMES:
        raise EditError(f"{len(names)} names; allowed are 1 to {MOST_NAMES}, one a line")
    section = data.get("section", "")
    steps = [] if section else _section_steps(template, name)
    section = section or steps[0].arguments["section"]["id"]
    kit = free_id(slug(name), {strip.id for strip in template.strips} | {f"{section}-bus"})
    fields: dict[str, Any] = {"id": kit, "name": name, "kind": "instrument", "layout": "stereo", "section": section}
    if data.get("as") == "midi":
        fields["midi"] = {"ports": -(-len(names) // 16), "channels": "all"}
        steps += [EditStep("add_strip", {"strip": fields}), EditStep("note_set", {"strip": kit, "names": names})]
        bus = next((known.bus for known in template.sections if known.id == section), f"{section}-bus")
        steps += [EditStep("add_route", {"route": {"kind": "feed", "from": kit, "to": bus}})] if bus else []
        return f"{name} with {len(names)} midi strips", steps
    layout = data.get("layout") or "mono"
    # The first outlet is the instrument's own chain, and plays nothing: each part has an outlet of its own.
    fields["outlets"] = [{"id": "main", "main": True, "source": None}]
    fields["outlets"] += [{"id": str(number), "layout": layout} for number in range(1, len(names) + 1)]
    fields["parts"] = [
        {"id": f"part-{n}", "name": part, "note": min(FIRST_NOTE + n - 1, 127), "outlet": str(n)}
        for n, part in enumerate(names, start=1)
    ]
    steps += [EditStep("add_strip", {"strip": fields}), EditStep("outlet_set", {"strip": kit})]
    return f"{name} with {len(names)} parts", steps


def _section_steps(template: Template, name: str) -> list[EditStep]:
    """A section with colour and bus."""
    section = free_id(slug(name), {known.id for known in template.sections})
    colour = PALETTE[len(template.sections) % len(PALETTE)]
    bus = {"id": f"{section}-bus", "name": f"{name} bus", "kind": "bus", "layout": "stereo", "section": section}
    if any(strip.id == bus["id"] for strip in template.strips):
        raise EditError(f"there is a strip {bus['id']} already; choose another name, or a section")
    return [
        EditStep("add_section", {"section": {"id": section, "name": name, "colour": colour}}),
        EditStep("add_strip", {"strip": bus}),
        EditStep("change_section", {"section": section, "changes": {"bus": bus["id"]}}),
    ]
