"""What the pages and fragments of a template show, gathered from the core."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest
from django.utils.safestring import SafeString

from lattice.checks import Finding
from lattice.checks.finding import SEVERITIES
from lattice.graph.signal_graph import SignalGraph
from lattice.levels.chain import figures
from lattice.matters.matter import Matter
from lattice.model.document import Strip, Waiver, main_outlet
from lattice.model.units import words_db
from lattice.sheet import Sheet
from lattice.sheet.svg import FIGURES, Mark, render
from web.editor.places.base import all_keys, navigation
from web.shared.records import as_data, records
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.sheets import sheet_of
from web.shelf.workspace import Workspace, workspace


@dataclass(frozen=True)
class Numbered:
    """A finding with the number it has on the sheet and in the list."""

    number: int
    finding: Finding
    zone: str


def numbered(space: Workspace, sheet: Sheet | None) -> list[Numbered]:
    """Open findings, numbered worst first."""
    zones = sheet.zone_of if sheet else {}
    open_ones = [finding for finding in space.audit.findings if not finding.waived]
    return [
        Numbered(number, finding, zones.get(finding.strips[0], "") if finding.strips else "")
        for number, finding in enumerate(open_ones, start=1)
    ]


Groups = list[tuple[Matter, list[Numbered]]]


def grouped(space: Workspace, findings: list[Numbered]) -> Groups:
    """Findings by the mistake behind them, its own first, in the order of the first of each."""
    by_mark = {one.finding.fingerprint: one for one in findings}
    groups = [(m, [by_mark[f.fingerprint] for f in m.findings if f.fingerprint in by_mark]) for m in space.matters]
    return sorted(
        ((matter, ones) for matter, ones in groups if ones),
        key=lambda group: (SEVERITIES.index(group[0].severity), group[1][0].number),
    )


# The families of checks.md, by the first word of a code; section.stray is about routes.
FAMILIES = {
    **dict.fromkeys(("route", "section.stray", "part", "choice", "io", "tie"), "Continuity"),
    "key": "Keys",
    "midi": "MIDI",
    "loop": "Loops",
    "level": "Levels",
    "time": "Timing",
    "stem": "Stems",
    "rule": "Rules",
    "audit": "This audit",
    **dict.fromkeys(("plugin", "budget"), "Machines"),
}


def groups_by_family(groups: Groups) -> dict[str, Groups]:
    """The same by family, in the order of the worst of each."""
    families: dict[str, Groups] = {}
    for matter, ones in groups:
        families.setdefault(family_of(matter.code), []).append((matter, ones))
    return families


def family_of(code: str) -> str:
    """The family of a code, as people say it."""
    return FAMILIES.get(code) or FAMILIES.get(code.partition(".")[0], "Names and sections")


def waived_by_waiver(space: Workspace) -> list[tuple[Waiver, list[Finding]]]:
    """Every waiver that covers something, with all that it covers, in the order of the findings."""
    waivers = {waiver.fingerprint: waiver for waiver in space.template.waivers}
    covered: dict[str, list[Finding]] = {}
    for finding in space.audit.findings:
        if finding.waived:
            covered.setdefault(finding.waived_by, []).append(finding)
    return [(waivers[mark], ones) for mark, ones in covered.items()]


def marks(sheet: Sheet, findings: list[Numbered]) -> dict[str, Mark]:
    """The worst finding of each box, at the strip it is about."""
    box_of = {member: box.id for box in sheet.boxes for member in box.members}
    found: dict[str, Mark] = {}
    for one in findings:
        box = box_of.get(one.finding.strips[0]) if one.finding.strips else None
        if box and box not in found:
            found[box] = Mark(one.finding.severity, one.number, one.finding.fingerprint)
    return found


def facts(stored: StoredTemplate, space: Workspace) -> list[tuple[str, str]]:
    """The cells of the title block."""
    template, counts = space.template, space.audit.summary
    by_kind = {kind: sum(stem.role == kind for stem in template.stems) for kind in ("stem", "mix")}
    return [
        (
            "Revision",
            f"{stored.revision}, released"
            if stored.state.endswith("released")
            else f"{stored.revision or 'none'}, in work",
        ),
        ("Rate, buffer", f"{template.sample_rate_hz / 1000:g} kHz {template.buffer_samples}"),
        ("Picture", f"{template.frame_rate} fps" if template.frame_rate else "none"),
        ("Strips, routes", f"{len(template.strips)} {len(template.routes)}"),
        ("Tempo", f"{template.tempo_bpm:g} bpm"),
        ("Stems", f"{by_kind['stem']} + {by_kind['mix']} mixes"),
        ("Delivery", template.profile.name[:16]),
        ("Drawn", stored.changed_at.strftime("%Y-%m-%d")),
        ("Findings", f"{counts['blocker']} {counts['warning']} {counts['note']}"),
    ]


def wires_json(sheet: Sheet) -> SafeString:
    """Ends and corners of every line, for highlighting in the browser."""
    rows = [(wire.routes, wire.kind, wire.start, wire.end, wire.points, wire.feedback) for wire in sheet.wires]
    return as_data(records("routes kind start end points feedback", rows))


def strips_json(space: Workspace, sheet: Sheet) -> SafeString:
    """Every strip by id, for finding and connecting by name."""
    outboard = {machine.id for machine in space.template.machines if machine.kind == "outboard"}
    main = space.template.machines[0].id

    def row(strip: Strip) -> tuple[Any, ...]:
        machine = strip.machine or main
        zone = sheet.zone_of[strip.id]
        return strip.id, strip.name, strip.kind, zone, machine, machine in outboard, _outlets(strip), _keyable(strip)

    rows = map(row, space.template.strips)
    return as_data(records("id name kind zone machine outboard outlets keyable", rows))


def _outlets(strip: Strip) -> list[str | None] | None:
    """By row of the box: the outlet a line drawn from there leaves, null for the chain. None for boxes of one row."""
    main = main_outlet(strip)
    rows = [None if outlet is main else outlet.id for outlet in strip.outlets]
    return rows if len(rows) > 1 else None


def _keyable(strip: Strip) -> list[tuple[str, str]] | None:
    """Inserts that a key can work, with their names."""
    return [(insert.id, insert.name or insert.type) for insert in strip.inserts if insert.traits.can_be_keyed] or None


def finder_context(context: dict[str, Any]) -> dict[str, Any]:
    """What the quick-open of a place knows of the strips."""
    return {"strips_data": strips_json(context["space"], context["sheet_map"])}


def _open_words(findings: list[Numbered], groups: Groups, waived: int) -> str:
    """“63 in 34 matters, 1 waived”."""
    many = f"{len(findings)} in {len(groups)} matters" if len(groups) < len(findings) else f"{len(findings)} open"
    return f"{many}, {waived} waived" if waived else many


def frame(stored: StoredTemplate) -> dict[str, Any]:
    """What every page and every answer to a write needs."""
    space = workspace(stored)
    sheet = sheet_of(stored, space)
    findings = numbered(space, sheet)
    groups = grouped(space, findings)
    return {
        "stored": stored,
        "navigation": navigation(),
        "all_keys": all_keys(),
        "template": space.template,
        "space": space,
        "sheet_map": sheet,
        "findings": findings,
        "groups": groups,
        "open_words": _open_words(findings, groups, space.audit.summary["waived"]),
        "summary": space.audit.summary,
        "can_undo": stored.cursor,
        "can_redo": services.undone(stored),
    }


def _likely_levels(space: Workspace) -> dict[str, str]:
    """By strip, its likely peak behind the fader, dBFS; nothing where no sound is."""
    levels, found = space.analysis.levels, {}
    for number, strip in enumerate(space.graph.strips):
        if levels.sounds(number):
            post = levels.post[number]
            found[strip.id] = words_db(figures(post).loudest[1]) if post else "−∞"
    return found


def _arrivals(space: Workspace) -> dict[str, str]:
    """By strip, the latest actual arrival at its `in`, samples."""
    spans = ((strip, space.analysis.arrivals.span(n)) for n, strip in enumerate(space.graph.strips))
    return {strip.id: str(span.latest) for strip, span in spans if span is not None}


COMPUTED = {"level": _likely_levels, "arrival": _arrivals}  # figures of the map that cost more than a look


def map_context(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    """The drawing and the data beside it."""
    figure = request.COOKIES.get("figure", "")
    figure = figure if figure in FIGURES else FIGURES[0]
    stored, space, sheet = context["stored"], context["space"], context["sheet_map"]
    title = space.template.name
    values = COMPUTED[figure](space) if figure in COMPUTED else None
    svg = render(sheet, facts(stored, space), title, marks(sheet, context["findings"]), figure=figure, values=values)
    return {
        "figures": FIGURES,
        "figure": figure,
        "svg": svg,
        "wires": wires_json(sheet),
        "strips_data": strips_json(space, sheet),
    }


def strip_context(space: Workspace, strip: Strip) -> dict[str, Any]:
    """The side panel of one strip."""
    graph = space.graph
    strip_number = graph.index[strip.id]
    return {
        "strip": strip,
        "machine": graph.machine_of(strip_number),
        "ins": _routes(graph, [r for r, head in enumerate(graph.head) if head == strip_number], "in"),
        "outs": _routes(graph, [r for r, tail in enumerate(graph.tail) if tail == strip_number], "out"),
        "is_monitored": strip.kind in ("audio", "print"),
        "outlets": [
            {"id": o.id, "name": o.name, "layout": o.layout, "open": o.open, "is_main": o is main_outlet(strip)}
            for o in strip.outlets
        ],
    }


def _routes(graph: SignalGraph, numbers: list[int], way: str) -> list[dict[str, Any]]:
    return [
        {
            "route": graph.routes[number],
            "other": graph.strips[graph.tail[number] if way == "in" else graph.head[number]],
        }
        for number in numbers
    ]
