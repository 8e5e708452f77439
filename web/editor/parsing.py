"""From what a form says to edits: each writer turns posted text into a label and steps.

Texts are read as people type them; what cannot be read raises EditError with a sentence.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import QueryDict

from lattice.checks import Step
from lattice.errors import EditError
from lattice.model.document import Insert, Outlet, Route, Section, Strip, Template
from lattice.model.names import free_id, slug
from lattice.model.units import parse_channels, parse_db, parse_level, parse_pan, parse_samples, parse_share

Written = tuple[str, list[Step]]
Reader = Callable[[str, Template], Any]


def _text(text: str, _template: Template) -> str:
    return text.strip()


def _or_none(text: str, _template: Template) -> str | None:
    return text.strip() or None


def _yes(text: str, _template: Template) -> bool:
    return text.lower() in {"on", "true", "yes", "1"}


def _tags(text: str, _template: Template) -> list[str]:
    return list(dict.fromkeys(text.replace(",", " ").replace(";", " ").lower().split()))


STRIP_FIELDS: dict[str, Reader] = {
    "name": _text, "kind": _text, "layout": _text, "section": _or_none, "machine": _or_none, "colour": _or_none,
    "note": _text, "tags": _tags, "in_service": _yes, "mute": _yes, "invert": _yes, "armed": _yes, "monitor": _text,
    "fader_db": lambda text, _template: parse_db(text),
    "pan": lambda text, _template: parse_pan(text),
    "io": lambda text, _template: parse_channels(text),
    "latency_samples": lambda text, template: parse_samples(text, template.sample_rate_hz),
}  # fmt: skip
ROUTE_FIELDS: dict[str, Reader] = {
    "enabled": _yes, "automated": _yes, "tap": _text,
    "gain_db": lambda text, _template: parse_db(text),
    "port": lambda text, _template: int(text) if text.strip() else None,
    "channel": lambda text, _template: int(text) if text.strip() else None,
}  # fmt: skip
INSERT_FIELDS: dict[str, Reader] = {
    "name": _text, "type": _text, "state": _text, "key": _text,
    "latency_samples": lambda text, template: parse_samples(text, template.sample_rate_hz),
    "gain_db": lambda text, _template: parse_level(text),
    "wet": lambda text, _template: parse_share(text),
    "threshold_db": lambda text, _template: parse_db(text) if text.strip() else None,
    "ratio": lambda text, _template: float(text.replace(",", ".").removesuffix(":1")) if text.strip() else None,
    "ceiling_db": lambda text, _template: parse_db(text) if text.strip() else None,
}  # fmt: skip
OUTLET_FIELDS: dict[str, Reader] = {"name": _text, "layout": _text, "open": _yes, "main": _yes}
SECTION_FIELDS: dict[str, Reader] = {"name": _text, "colour": _or_none, "parent": _or_none, "bus": _or_none}
TEMPLATE_FIELDS: dict[str, Reader] = {
    "name": _text, "note": _text,
    "sample_rate_hz": lambda text, _template: int(text),
    "buffer_samples": lambda text, _template: int(text),
    "tempo_bpm": lambda text, _template: float(text.replace(",", ".")),
}  # fmt: skip


def _changes(data: QueryDict, fields: dict[str, Reader], template: Template) -> dict[str, Any]:
    """The posted fields, read. Raises EditError naming each that cannot be."""
    changes, problems = {}, []
    for field, read in fields.items():
        if field in data:
            try:
                changes[field] = read(data[field], template)
            except ValueError as wrong:
                said = str(wrong) if "“" in str(wrong) else f"“{data[field]}” is not a number"
                problems.append(f"{field.removesuffix('_db').replace('_', ' ')}: {said}")
    if problems:
        raise EditError(*problems)
    if not changes:
        raise EditError("nothing to change was given")
    return changes


def _one(data: QueryDict, name: str) -> str:
    if not data.get(name):
        raise EditError(f"{name} is missing")
    return str(data[name])


def _named(pieces: tuple[Any, ...], wanted: str, word: str) -> Any:
    found = next((piece for piece in pieces if piece.id == wanted), None)
    if found is None:
        raise EditError(f"there is no {word} {wanted}; it may have been removed")
    return found


def _what(changes: dict[str, Any]) -> str:
    words = [f"{field.removesuffix('_db').replace('_', ' ')} {_shown(value)}" for field, value in changes.items()]
    return ", ".join(words)


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}".replace("-", "−")
    return (
        "none" if value in (None, []) else " ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
    )


def change_strip(data: QueryDict, template: Template) -> Written:
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    changes = _changes(data, STRIP_FIELDS, template)
    return f"{strip.name}: {_what(changes)}", [Step("change_strip", {"strip": strip.id, "changes": changes})]


def remove_strip(data: QueryDict, template: Template) -> Written:
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    return f"Remove {strip.name}", [Step("remove_strips", {"strips": [strip.id]})]


def move_strip(data: QueryDict, template: Template) -> Written:
    """One place up or down among the strips of its section."""
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    beside = [known.id for known in template.strips if known.section == strip.section]
    at = beside.index(strip.id)
    target = at - 1 if data.get("where") == "up" else at + 2
    if target < 0 or target > len(beside):
        raise EditError(f"{strip.name} is at the end of its section already")
    before = beside[target] if target < len(beside) else None
    return f"Move {strip.name}", [
        Step("move_strips", {"strips": [strip.id], "section": strip.section, "before": before})
    ]


def connect(data: QueryDict, template: Template) -> Written:
    """A new route between two strips."""
    start: Strip = _named(template.strips, _one(data, "from").partition("/")[0], "strip")
    end: Strip = _named(template.strips, _one(data, "to"), "strip")
    kind = data.get("kind") or "feed"
    route: dict[str, Any] = {"kind": kind, "from": start.id, "to": end.id}
    if outlet := _one(data, "from").partition("/")[2] or data.get("from_outlet"):
        route["from_outlet"] = outlet
    if data.get("to_insert"):
        route["to_insert"] = data["to_insert"]
    if any(field in data for field in ROUTE_FIELDS):
        route |= _changes(data, ROUTE_FIELDS, template)
    if kind != "send" and not data.get("gain_db"):
        route.pop("gain_db", None)
    return f"{kind} {start.name} → {end.name}", [Step("add_route", {"route": route})]


def change_route(data: QueryDict, template: Template) -> Written:
    route: Route = _named(template.routes, _one(data, "route"), "route")
    changes = _changes(data, ROUTE_FIELDS, template)
    return f"{_route_name(route, template)}: {_what(changes)}", [
        Step("change_route", {"route": route.id, "changes": changes})
    ]


def remove_route(data: QueryDict, template: Template) -> Written:
    route: Route = _named(template.routes, _one(data, "route"), "route")
    return f"Remove {_route_name(route, template)}", [Step("remove_routes", {"routes": [route.id]})]


def _route_name(route: Route, template: Template) -> str:
    names = {strip.id: strip.name for strip in template.strips}
    return f"{route.kind} {names[route.from_strip]} → {names[route.to]}"


def spread(data: QueryDict, template: Template) -> Written:
    """A list of names (one a line) to strips of a section, fed to its bus or to a strip by name."""
    names = [name for name in data.get("names", "").splitlines() if name.strip()]
    fields = _changes(data, {field: STRIP_FIELDS[field] for field in ("kind", "layout", "section")}, template)
    feed = data.get("feed") or None
    if feed == "section":
        section = next((s for s in template.sections if s.id == fields["section"]), None)
        feed = section.bus if section else None
    if fields["kind"] == "midi":
        feed = None
    label = f"Add {names[0].strip()}" if len(names) == 1 else f"Add {len(names)} strips"
    return label, [Step("spread", {"names": names, "strip": fields, "feed": feed})]


def change_outlet(data: QueryDict, template: Template) -> Written:
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    outlet: Outlet = _named(strip.outlets, _one(data, "outlet"), "outlet")
    changes = _changes(data, OUTLET_FIELDS, template)
    arguments = {"strip": strip.id, "outlet": outlet.id, "changes": changes}
    return f"{strip.name} {outlet.name or outlet.id}: {_what(changes)}", [Step("change_outlet", arguments)]


def add_outlet(data: QueryDict, template: Template) -> Written:
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    outlet = _changes(data, {field: OUTLET_FIELDS[field] for field in ("name", "layout")}, template)
    return f"{strip.name}: outlet {outlet.get('name', '')}", [Step("add_outlet", {"strip": strip.id, "outlet": outlet})]


def remove_outlet(data: QueryDict, template: Template) -> Written:
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    outlet: Outlet = _named(strip.outlets, _one(data, "outlet"), "outlet")
    label = f"{strip.name}: remove outlet {outlet.name or outlet.id}"
    return label, [Step("remove_outlets", {"strip": strip.id, "outlets": [outlet.id]})]


def _insert(data: QueryDict, template: Template) -> tuple[Strip, Insert]:
    wanted = _one(data, "insert")
    found = [(strip, insert) for strip in template.strips for insert in strip.inserts if insert.id == wanted]
    if not found:
        raise EditError(f"there is no insert {wanted}; it may have been removed")
    return found[0]


def add_insert(data: QueryDict, template: Template) -> Written:
    strip: Strip = _named(template.strips, _one(data, "strip"), "strip")
    insert = _changes(data, {field: INSERT_FIELDS[field] for field in ("type", "name")}, template)
    return f"{strip.name}: insert {insert.get('type', '')}", [Step("add_insert", {"strip": strip.id, "insert": insert})]


def change_insert(data: QueryDict, template: Template) -> Written:
    strip, insert = _insert(data, template)
    changes = _changes(data, INSERT_FIELDS, template)
    label = f"{strip.name}, {insert.name or insert.id}: {_what(changes)}"
    return label, [Step("change_insert", {"insert": insert.id, "changes": changes})]


def move_insert(data: QueryDict, template: Template) -> Written:
    strip, insert = _insert(data, template)
    to = strip.inserts.index(insert) + (-1 if data.get("where") == "up" else 1)
    if not 0 <= to < len(strip.inserts):
        raise EditError(f"{insert.name or insert.id} is at the end of its chain already")
    return f"{strip.name}: move {insert.name or insert.id}", [Step("move_insert", {"insert": insert.id, "to": to})]


def remove_insert(data: QueryDict, template: Template) -> Written:
    strip, insert = _insert(data, template)
    return f"{strip.name}: remove {insert.name or insert.id}", [Step("remove_inserts", {"inserts": [insert.id]})]


def add_section(data: QueryDict, template: Template) -> Written:
    """A section, and a bus of its own where it is asked for."""
    section = _changes(data, SECTION_FIELDS, template)
    steps = []
    if data.get("with_bus"):
        bus = free_id(slug(f"{section['name']} bus"), {strip.id for strip in template.strips})
        section_id = free_id(slug(section["name"]), {known.id for known in template.sections})
        strip = {"id": bus, "name": f"{section['name']} bus", "kind": "bus", "layout": "stereo", "section": section_id}
        steps = [
            Step("add_section", {"section": {**section, "id": section_id}}),
            Step("add_strip", {"strip": strip}),
            Step("change_section", {"section": section_id, "changes": {"bus": bus}}),
        ]
    return f"Add section {section['name']}", steps or [Step("add_section", {"section": section})]


def change_section(data: QueryDict, template: Template) -> Written:
    section: Section = _named(template.sections, _one(data, "section_id"), "section")
    changes = _changes(data, SECTION_FIELDS, template)
    return f"{section.name}: {_what(changes)}", [Step("change_section", {"section": section.id, "changes": changes})]


def move_section(data: QueryDict, template: Template) -> Written:
    section: Section = _named(template.sections, _one(data, "section_id"), "section")
    at = template.sections.index(section) + (-1 if data.get("where") == "up" else 1)
    return f"Move {section.name}", [Step("move_section", {"section": section.id, "at": max(at, 0)})]


def remove_section(data: QueryDict, template: Template) -> Written:
    section: Section = _named(template.sections, _one(data, "section_id"), "section")
    return f"Remove section {section.name}", [Step("remove_sections", {"sections": [section.id]})]


def change_template(data: QueryDict, template: Template) -> Written:
    changes = _changes(data, TEMPLATE_FIELDS, template)
    return f"Template: {_what(changes)}", [Step("change_template", {"changes": changes})]


WRITERS: dict[str, Callable[[QueryDict, Template], Written]] = {
    function.__name__: function
    for function in (
        change_template,
        change_strip,
        remove_strip,
        move_strip,
        spread,
        connect,
        change_route,
        remove_route,
        add_outlet,
        change_outlet,
        remove_outlet,
        add_insert,
        change_insert,
        move_insert,
        remove_insert,
        add_section,
        change_section,
        move_section,
        remove_section,
    )
}
