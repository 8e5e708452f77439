"""The context of pages and fragments of a template, from the core."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from lattice.drawing import Sheet
from lattice.drawing.svg import FIGURES, Pieces, pieces
from lattice.gain_staging.chain import figures
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Strip, Template, main_outlet
from lattice.model.layouts import channel_count
from lattice.model.tiers import colouring
from lattice.model.units import words_db
from web.accounts.signed_in import signed_in_user
from web.editor.lists import Table, as_text
from web.editor.matters import marks, open_words, rows_of
from web.editor.places.base import all_keys, navigation
from web.shelf.history import to_redo, to_undo
from web.shelf.models import StoredTemplate
from web.shelf.sheets import map_of
from web.shelf.workspace import Workspace, workspace


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
        ("Tempo", f"{template.tempo_bpm:g} BPM"),
        ("Stems", f"{by_kind['stem']} + {by_kind['mix']} mixes"),
        ("Delivery", template.profile.name[:16]),
        ("Drawn", stored.changed_at.strftime("%Y-%m-%d")),
        ("Findings", f"{counts['blocker']} {counts['warning']} {counts['note']}"),
    ]


def wires_table(space: Workspace, sheet: Sheet) -> Table:
    """Ends and corners of every line, for highlighting in the browser."""
    known = space.records.get("wires")
    if known is None or known[0] is not sheet.wires:
        rows = [(wire.routes, wire.kind, wire.start, wire.end, wire.points, wire.feedback) for wire in sheet.wires]
        known = space.records["wires"] = sheet.wires, Table.of("routes kind start end points feedback", rows)
    table: Table = known[1]
    return table


def strips_table(space: Workspace, sheet: Sheet) -> Table:
    """Every strip by id, for search and connections by name. Records of unchanged strips are reused."""
    machines = space.template.machines
    outboard = {machine.id for machine in machines if machine.kind == "outboard"}
    feeds = _feeds(space.template)
    rows, pieces = [], []
    for strip in space.template.strips:
        goes = feeds.get(strip.id, "")
        zone, key = sheet.zone_of[strip.id], f"strip {strip.id}"
        known = space.records.get(key)
        if known is None or known[0] is not strip or known[1] != (zone, machines, goes):
            machine = strip.machine or machines[0].id
            row = (
                strip.id, strip.name, strip.kind, zone, machine, machine in outboard, _outlets(strip), _keyable(strip),
                goes, strip.section, channel_count(strip.layout),
            )  # fmt: skip
            known = space.records[key] = strip, (zone, machines, goes), row, (strip.id, as_text(row))
        rows.append(known[2])
        pieces.append(known[3])
    return Table("id name kind zone machine outboard outlets keyable feeds section width", rows, pieces)


def _feeds(template: Template) -> dict[str, str]:
    """By strip, ids of the strips that its own end feeds, with spaces between."""
    found: dict[str, str] = {}
    for route in template.routes:
        if route.kind == "feed" and route.from_outlet is None:
            before = found.get(route.from_strip)
            found[route.from_strip] = f"{before} {route.to}" if before else route.to
    return found


def _outlets(strip: Strip) -> list[str | None] | None:
    """By row of the box: the outlet a line drawn from there leaves, null for the chain. None for boxes of one row."""
    main = main_outlet(strip)
    rows = [None if outlet is main else outlet.id for outlet in strip.outlets]
    return rows if len(rows) > 1 else None


def _keyable(strip: Strip) -> list[tuple[str, str]] | None:
    """Inserts that a key can work, with their names."""
    return [(insert.id, insert.title) for insert in strip.inserts if insert.traits.can_be_keyed] or None


def frame(request: HttpRequest, stored: StoredTemplate) -> dict[str, Any]:
    """Common context of every page and every answer to a write."""
    user, space = signed_in_user(request), workspace(stored)
    drawn = map_of(stored, space)
    rows = rows_of(space, drawn.sheet)
    return {
        "stored": stored,
        "navigation": navigation(),
        "all_keys": all_keys(),
        "template": space.template,
        "space": space,
        "drawn": drawn,
        "rows": rows,
        "open_words": open_words(rows, space.audit.summary),
        "summary": space.audit.summary,
        "can_undo": to_undo(stored, user),
        "can_redo": to_redo(stored, user),
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


def drawing_of(request: HttpRequest, context: dict[str, Any]) -> Pieces:
    """The drawing, with the figure in its boxes that this person chose."""
    figure = figure_of(request)
    stored, space, drawn = context["stored"], context["space"], context["drawn"]
    values = COMPUTED[figure](space) if figure in COMPUTED else None
    return pieces(
        drawn.sheet,
        facts(stored, space),
        space.template.name,
        marks(drawn.sheet, context["rows"]),
        figure=figure,
        values=values,
        colours=colouring(space.template),
        kept=drawn.kept,
    )


def figure_of(request: HttpRequest) -> str:
    """The figure in the boxes of the map."""
    figure = request.COOKIES.get("figure", "")
    return figure if figure in FIGURES else FIGURES[0]


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
