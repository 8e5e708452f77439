"""Bulk edits of the chosen strips: from what a form says to one edit, shown before it is done."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from django.core import signing
from django.http import QueryDict

from lattice.analysis import Analysis
from lattice.changes.compare import compare
from lattice.checks import Finding, audit_of
from lattice.checks.remedies import trim_steps
from lattice.edits import apply_steps
from lattice.errors import EditError
from lattice.levels.bus_effect import WayChange, bus_effect
from lattice.levels.trims import trim_db
from lattice.model.document import Strip, Template, main_outlet, source_of
from lattice.model.edit_step import EditStep
from lattice.model.units import parse_db, words_db
from web.editor.differences import names_of, said
from web.editor.what_if import level_changes, only_in
from web.shelf.workspace import Workspace

SALT = "web.editor.bulk"
Holder = list[int]  # whom a preview was shown, of which template, at which version: it is good for nothing else
Planned = tuple[str, *tuple[EditStep, ...]]


class Chosen(list[Strip]):
    """The chosen strips in document order, with the names of everything an edit may be said to lead to."""

    def __init__(self, strips: Iterable[Strip], template: Template, analysis: Analysis | None = None) -> None:
        super().__init__(strips)
        self.analysis = analysis or Analysis(template)
        self.names = {item.id: item.name for item in (*template.sections, *template.strips)}

    def named(self, wanted: str) -> str:
        return self.names.get(wanted, wanted)


def chosen_strips(data: QueryDict, template: Template, analysis: Analysis | None = None) -> Chosen:
    """The strips a request names. Raises EditError where there is none."""
    wanted = set(data.get("strips", "").split())
    found = Chosen((strip for strip in template.strips if strip.id in wanted), template, analysis)
    if not found:
        raise EditError("no strip is chosen")
    return found


def _number(data: QueryDict, name: str, default: int) -> int:
    text = data.get(name, "").strip()
    if text and not (text.isdecimal() and len(text) < 7):
        raise EditError(f"{name}: “{text}” is not a whole number")
    return int(text) if text else default


def _level(data: QueryDict) -> float | None:
    try:
        return parse_db(data.get("gain_db", "0") or "0")
    except ValueError as wrong:
        raise EditError(str(wrong)) from None


def _ids(strips: list[Strip]) -> list[str]:
    return [strip.id for strip in strips]


def _many(strips: list[Strip]) -> str:
    return strips[0].name if len(strips) == 1 else f"{len(strips)} strips"


def duplicate(data: QueryDict, strips: Chosen) -> Planned:
    times = _number(data, "times", 1)
    return f"Duplicate {_many(strips)} ×{times}", EditStep("duplicate", {"strips": _ids(strips), "times": times})


def route(data: QueryDict, strips: Chosen) -> Planned:
    kind = data.get("kind", "feed")
    fields: dict[str, Any] = {"kind": kind, "to": data.get("to", "")}
    if kind == "send":
        fields |= {"gain_db": _level(data), "tap": data.get("tap", "post-fader")}
    if kind == "key":
        fields["to"], _slash, fields["to_insert"] = fields["to"].partition("/")
    return f"{kind.capitalize()} {_many(strips)} to {strips.named(fields['to'])}", EditStep(
        "batch_routes", {"strips": _ids(strips), "route": fields}
    )


def untie(data: QueryDict, strips: Chosen) -> Planned:
    kinds = data.get("kinds", "feed send key midi tie").split()
    return f"Take routes from {_many(strips)}", EditStep("untie", {"strips": _ids(strips), "kinds": kinds})


def move(data: QueryDict, strips: Chosen) -> Planned:
    section = data.get("section") or None
    return f"Move {_many(strips)} to {strips.named(section) if section else 'no section'}", EditStep(
        "move_and_refeed", {"strips": _ids(strips), "section": section}
    )


def rename(data: QueryDict, strips: Chosen) -> Planned:
    arguments = {"strips": _ids(strips), "pattern": data.get("pattern", ""), "first": _number(data, "first", 1)}
    return f"Rename {_many(strips)}", EditStep("rename", arguments)


def set_fields(data: QueryDict, strips: Chosen) -> Planned:
    """One field of many strips: mute, service, tags, layout."""
    what, _equals, value = data.get("set", "").partition("=")
    values: dict[str, dict[str, Any]] = {
        "mute": {"mute": value == "yes"},
        "service": {"in_service": value == "yes"},
        "layout": {"layout": data.get("layout", "")},
        "tags": {"tags": data.get("tags", "").lower().replace(",", " ").split()},
    }
    if what not in values:
        raise EditError(f"“{what}” is not one of {', '.join(values)}")
    return f"{what.capitalize()} of {_many(strips)}", EditStep(
        "change_strips", {"strips": _ids(strips), "changes": values[what]}
    )


def colour(_data: QueryDict, strips: Chosen) -> Planned:
    return f"Colour {_many(strips)} by section", EditStep("colour_by_section", {"strips": _ids(strips)})


def number(data: QueryDict, strips: Chosen) -> Planned:
    step = EditStep("number_channels", {"strips": _ids(strips), "first": _number(data, "first", 1)})
    return f"Number channels of {_many(strips)}", step


def bus(data: QueryDict, strips: Chosen) -> Planned:
    arguments: dict[str, Any] = {"strips": _ids(strips), "to": data.get("to", "")}
    arguments |= {"name": data.get("name", "").strip() or "New bus", "inserts": data.getlist("inserts")}
    return f"Put a bus between {_many(strips)} and {strips.named(arguments['to'])}", EditStep("insert_bus", arguments)


def to_return(data: QueryDict, strips: Chosen) -> Planned:
    """One kind of effect on the chosen strips becomes a shared return."""
    kind = data.get("type", "reverb")
    inserts = [insert.id for strip in strips for insert in strip.inserts if insert.type == kind]
    name = data.get("name", "").strip() or f"Shared {kind}"
    return f"The {kind} of {_many(strips)} becomes the return {name}", EditStep(
        "insert_to_return", {"inserts": inserts, "name": name, "feed": data.get("to", "")}
    )


def sequence(data: QueryDict, strips: Chosen) -> Planned:
    """Ports and channels in sequence for chosen midi strips, at the instrument they are said to play."""
    arguments = {"instrument": data.get("to", ""), "strips": _ids(strips)}
    arguments |= {"port": _number(data, "port", 1), "channel": _number(data, "channel", 1)}
    return f"Midi channels of {_many(strips)} in sequence", EditStep("number_midi", arguments)


def dissolve(_data: QueryDict, strips: Chosen) -> Planned:
    return f"Dissolve {strips[0].name}", EditStep("dissolve_bus", {"bus": strips[0].id})


def outlets(_data: QueryDict, strips: Chosen) -> Planned:
    return f"Listen to the outlets of {strips[0].name}", EditStep("outlet_set", {"strip": strips[0].id})


def notes(data: QueryDict, strips: Chosen) -> Planned:
    names = [name for name in data.get("names", "").splitlines() if name.strip()]
    return f"{len(names)} midi strips for {strips[0].name}", EditStep(
        "note_set", {"strip": strips[0].id, "names": names}
    )


def chain(data: QueryDict, strips: Chosen) -> Planned:
    return f"Copy inserts to {_many(strips)}", EditStep(
        "batch_inserts", {"strips": _ids(strips), "inserts": data.get("inserts", "").split()}
    )


def remove(_data: QueryDict, strips: Chosen) -> Planned:
    return f"Remove {_many(strips)}", EditStep("remove_strips", {"strips": _ids(strips)})


def what_if(data: QueryDict, strips: Chosen) -> Planned:
    """One fader, the gain of one route, the level of a source, or the state of an insert."""
    strip = strips[0]
    if "state" in data:
        insert = next((one for one in strip.inserts if one.id == data.get("insert")), None)
        if insert is None:
            raise EditError(f"{strip.name} has no insert {data.get('insert')}")
        change = {"insert": insert.id, "changes": {"state": data["state"]}}
        return f"{insert.name or insert.type} of {strip.name}: {data['state']}", EditStep("change_insert", change)
    field = next((known for known in ("fader_db", "source_peak_dbfs", "gain_db") if known in data), "gain_db")
    try:
        level = parse_db(data.get(field, ""))
    except ValueError as wrong:
        raise EditError(str(wrong)) from None
    if field == "fader_db":
        return f"Fader of {strip.name}", EditStep("change_strip", {"strip": strip.id, "changes": {"fader_db": level}})
    if field == "source_peak_dbfs":
        return _source_moved(strip, data.get("outlet", ""), level)
    step = EditStep("change_route", {"route": data.get("route", ""), "changes": {"gain_db": level}})
    return f"Route from {strip.name}", step


def _source_moved(strip: Strip, outlet: str, peak_dbfs: float | None) -> Planned:
    """A source at another peak; its RMS moves with it."""
    piece = next((one for one in strip.outlets if one.id == outlet), None) if outlet else main_outlet(strip)
    old = source_of(strip, piece)
    if old is None or peak_dbfs is None:
        raise EditError(f"{strip.name} plays nothing; a source has a peak in dBFS")
    moved = {"peak_dbfs": peak_dbfs, "rms_dbfs": round(old.rms_dbfs + peak_dbfs - old.peak_dbfs, 6)}
    label = f"Source of {strip.name} at {words_db(peak_dbfs)} dBFS"
    if piece is not None:
        arguments = {"strip": strip.id, "outlet": piece.id, "changes": {"source": moved}}
        return label, EditStep("change_outlet", arguments)
    return label, EditStep("change_strip", {"strip": strip.id, "changes": {"source": moved}})


def trim(data: QueryDict, strips: Chosen) -> Planned:
    """The same change on everything that is fed to a sum, so that it leaves the room that is wanted."""
    try:
        room = parse_db(data.get("room_db", ""))
    except ValueError as wrong:
        raise EditError(str(wrong)) from None
    levels = strips.analysis.levels
    number = strips.analysis.graph.index[strips[0].id]
    change = None if room is None else trim_db(levels, number, room)
    if change is None:
        raise EditError(f"nothing sounds at {strips[0].name}, or no room is named")
    steps = trim_steps(levels, number, change)
    if not steps:
        raise EditError(f"nothing is fed to {strips[0].name}")
    return f"Trim all into {strips[0].name} by {words_db(change, plus=True)} dB", *steps


PLANS: dict[str, Callable[[QueryDict, Chosen], Planned]] = {
    function.__name__: function
    for function in (
        duplicate, route, untie, move, rename, set_fields, colour, number, sequence, bus, dissolve, to_return, outlets,
        notes, chain, remove, what_if, trim,
    )
}  # fmt: skip


class Preview:
    """What an edit would change: differences, and findings that would come and go."""

    def __init__(self, space: Workspace, holder: Holder, label: str, *steps: EditStep) -> None:
        self.label = label
        after = apply_steps(space.template, steps)
        analysis = Analysis(after)
        names = names_of(space.template) | names_of(after)
        self.changes: list[str] = [said(change, names) for change in compare(space.template, after)]
        now, then = space.audit.findings, audit_of(analysis).findings
        self.going: list[Finding] = only_in(now, then)
        self.coming: list[Finding] = only_in(then, now)
        self.ways = self._ways(space.template, after, steps[0])
        self.levels = level_changes(space.analysis, analysis)
        signed = [[step.edit, step.arguments] for step in steps]
        self.signed = signing.dumps([label, signed, holder], salt=SALT, compress=True)

    @staticmethod
    def _ways(before: Template, after: Template, step: EditStep) -> list[tuple[str, str, WayChange]]:
        """What a bus put in or taken out does to level and latency, way by way, with the names of both ends."""
        if step.edit not in ("insert_bus", "dissolve_bus"):
            return []
        new = {strip.id for strip in after.strips} - {strip.id for strip in before.strips}
        bus = step.arguments["bus"] if step.edit == "dissolve_bus" else new.pop()
        names = {strip.id: strip.name for strip in before.strips}
        return [(names[way.start], names[way.end], way) for way in bus_effect(before, after, bus)]


def planned(signed: str, holder: Holder) -> tuple[str, list[EditStep]]:
    """The edits that a preview showed. Raises EditError where it was tampered with or is somebody else's."""
    try:
        label, steps, shown_to = signing.loads(signed, salt=SALT, max_age=24 * 3600)
    except (signing.BadSignature, ValueError):
        shown_to = None
    if shown_to != holder:
        raise EditError("this preview is no longer good; choose the edit again")
    return label, [EditStep(edit, arguments) for edit, arguments in steps]
