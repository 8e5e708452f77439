"""The Strips page: all as a table to work in; one as a ladder of its stages, with the routes of each."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from django.http import HttpRequest

from lattice.formats.tables.state_cells import STATES
from lattice.gain_staging.chain import Stage, figures
from lattice.graph.signal_graph import IN, POST, PRE, SignalGraph
from lattice.model.document import SIDES, Insert, Outlet, Route, Stem, Strip, main_outlet, source_of
from lattice.model.document import machine_id as id_of_machine
from lattice.model.layouts import channel_count
from web.editor.lists import KeyedList, Table
from web.editor.panels import CHOICES, chosen
from web.editor.places.base import FLOW, Context, Place, wanted
from web.editor.presenting import strips_table
from web.editor.strip_cells import cells_table, columns_data
from web.shared.records import as_data
from web.shared.templatetags.figures import dbfs, whole
from web.shelf.workspace import Workspace

STAGE_WORDS = {IN: "in", PRE: "pre-fader", POST: "post-fader"}
TAP_OF_STAGE = {IN: "pre-insert", PRE: "pre-fader", POST: "post-fader"}


@dataclass(frozen=True)
class Lead:
    """One route at a rung, and the strip at its other end."""

    route: Route
    other: Strip
    is_wide: bool = False  # on which channels it lands is worth saying


@dataclass(frozen=True)
class Rung:
    """One stage of the strip: its name, its incoming and its outgoing routes."""

    kind: str  # in, insert, pre, post, outlet
    title: str
    insert: Insert | None = None
    outlet: Outlet | None = None
    ins: list[Lead] = field(default_factory=list)
    outs: list[Lead] = field(default_factory=list)
    stems: list[Stem] = field(default_factory=list)
    position: int = 0
    shown: dict[str, Any] | None = None  # levels behind it, and when sound is there

    @property
    def sleeps(self) -> bool:
        """Return whether it is an insert that is not on."""
        return self.insert is not None and self.insert.state != "on"


def strip_sheet(space: Workspace, strip_number: int) -> dict[str, Any]:
    """Everything the strip sheet shows of one strip."""
    graph, template = space.graph, space.template
    strip = graph.strips[strip_number]
    machine = next(known for known in template.machines if known.id == id_of_machine(template, strip))
    beside = [known.id for known in template.strips if known.section == strip.section]
    at = beside.index(strip.id)
    return {
        "strip": strip.id,
        "piece": strip,
        "rungs": [replace(rung, shown=_figures(space, strip_number, rung)) for rung in _rungs(graph, strip_number)],
        "source": source_of(strip, main_outlet(strip)),
        "is_source": strip.kind in ("audio", "instrument", "input"),
        "outlets": [_outlet(strip, outlet) for outlet in strip.outlets],
        "sides": SIDES,
        "outlet_choices": [(outlet.id, outlet.name or outlet.id) for outlet in strip.outlets],
        "machine": machine.id,
        "shown_colour": strip.colour
        or next((s.colour for s in template.sections if s.id == strip.section), None)
        or "#808080",
        "physical": _physical(strip, machine.input_names if strip.kind == "input" else machine.output_names),
        "before": beside[at - 1] if at else "",
        "after": beside[at + 1] if at + 1 < len(beside) else "",
        "own_findings": [one for one in space.audit.findings if not one.waived and strip.id in one.strips[:1]],
    }


def _figures(space: Workspace, strip_number: int, rung: Rung) -> dict[str, Any] | None:
    """Levels of the loudest channel after a rung, the gain reduction of an insert, the arrival."""
    levels, arrivals = space.analysis.levels, space.analysis.arrivals
    stages, span = levels.stages[strip_number], arrivals.span(strip_number)
    if not stages or rung.kind not in ("in", "insert", "pre", "post"):
        return None
    stage: Stage | None = {"in": stages[0], "pre": stages[-1], "post": levels.post[strip_number]}.get(rung.kind)
    more: dict[str, Any] = {}
    late = 0 if rung.kind == "in" else arrivals.chain[strip_number][1]
    if rung.kind == "insert":
        stage = stages[rung.position + 1]
        at = levels.insert_figures(strip_number, rung.position)
        more = {"reduction": at.reduction_db, "pushed": at.pushed_db, "duck": at.duck_db}
        late = arrivals.before(strip_number, rung.position + 1)[1]
    peak, likely, rms = figures(stage).loudest if stage else (None, None, None)
    arrives = span.latest + late if span else None
    shown = {"peak": peak, "likely": likely, "rms": rms, "arrives": arrives, **more}
    return {**shown, "words": _words(**shown)}


def _words(
    peak: float | None,
    likely: float | None,
    rms: float | None,
    arrives: int | None,
    reduction: float = 0.0,
    pushed: float = 0.0,
    duck: float | None = None,
) -> str:
    """The line below a rung: worst case / likely peak / expected level, arrival, gain reduction."""
    parts = [" / ".join(map(dbfs, (peak, likely, rms)))]
    parts += [f"{whole(arrives)} smp"] if arrives is not None else []
    parts += [f"{verb} {by:.1f}" for verb, by in (("takes", reduction), ("pushed", pushed), ("ducks", duck)) if by]
    return " · ".join(parts)


def _is_wide(graph: SignalGraph, number: int) -> bool:
    """Return whether a route has channels to choose: more than two at an end, or some that are listed."""
    route = graph.routes[number]
    ends = (graph.layout_leaving(number), graph.strips[graph.head[number]].layout)
    return route.kind in ("feed", "send") and (route.channels is not None or max(map(channel_count, ends)) > 2)


def _rungs(graph: SignalGraph, strip_number: int) -> list[Rung]:
    strip = graph.strips[strip_number]
    comes = [
        Lead(r, graph.strips[graph.tail[n]], _is_wide(graph, n)) for n, r in enumerate(graph.routes) if r.to == strip.id
    ]
    leaves = [
        (graph.stage[n], Lead(r, graph.strips[graph.head[n]], _is_wide(graph, n)))
        for n, r in enumerate(graph.routes)
        if r.from_strip == strip.id
    ]
    main = main_outlet(strip)
    own = [(stage, lead) for stage, lead in leaves if lead.route.from_outlet in (None, main.id if main else None)]

    def stage(kind: str, at: int, **more: Any) -> Rung:
        stems = [graph.template.stems[n] for n in graph.stems_at.get(strip_number, ())]
        return Rung(
            kind,
            STAGE_WORDS[at],
            outs=[lead for leaving, lead in own if leaving == at],
            stems=[stem for stem in stems if stem.tap == TAP_OF_STAGE[at]],
            **more,
        )

    if strip.kind == "midi":
        return [Rung("midi", "notes", ins=comes, outs=[lead for _stage, lead in leaves])]
    rungs = [stage("in", IN, ins=[lead for lead in comes if lead.route.kind != "key"])]
    for position, insert in enumerate(strip.inserts):
        keys = [lead for lead in comes if lead.route.to_insert == insert.id]
        rungs.append(Rung("insert", insert.title, insert=insert, ins=keys, position=position))
    rungs += [stage("pre", PRE), stage("post", POST)]
    for outlet in strip.outlets:
        if outlet is not main:
            outs = [lead for _stage, lead in leaves if lead.route.from_outlet == outlet.id]
            rungs.append(Rung("outlet", outlet.name or outlet.id, outlet=outlet, outs=outs))
    return rungs


def _outlet(strip: Strip, outlet: Outlet) -> dict[str, Any]:
    is_main = outlet is main_outlet(strip)
    splits = outlet.layout == "stereo" and not is_main and not any(p.side for p in strip.parts if p.outlet == outlet.id)
    return {"outlet": outlet, "is_main": is_main, "source": source_of(strip, outlet), "splits": splits}


def _physical(strip: Strip, names: dict[str, str]) -> str:
    """Physical channels of an input or output, by the names they have."""
    return ", ".join(names.get(str(channel)) or str(channel) for channel in strip.io or ())


def _context(request: HttpRequest, context: Context) -> Context:
    space = context["space"]
    number = space.graph.index.get(wanted(request, "strip"))
    if number is not None:
        return strip_sheet(space, number) | CHOICES
    shown: dict[str, Any] = {"strip": "", "columns": as_data(columns_data()), "words": as_data(_words_of(space))}
    return shown | chosen(request, space) | CHOICES


def _words_of(space: Workspace) -> dict[str, list[str]]:
    """Words that cells of some columns may have, for filters and for completing what is typed."""
    return {
        "kind": list(CHOICES["kinds"]),
        "layout": list(CHOICES["layouts"]),
        "section": [section.name for section in space.template.sections],
        "machine": [machine.name for machine in space.template.machines],
        "state": list(STATES),
        "tags": list(CHOICES["known_tags"]),
        "inserts": list(CHOICES["insert_types"]),
    }


def _lists(_request: HttpRequest, context: Context) -> tuple[list[KeyedList], dict[str, Table]]:
    """The parts of an answer to a write: rows that differ. The side panel comes only with a selection."""
    context["brings_margin"] &= context["panel"] == "selection"
    space, sheet = context["space"], context["drawn"].sheet
    return [], {"cells": cells_table(space, sheet), "strips": strips_table(space, sheet)}


PLACE = Place(
    "strips",
    "Strips",
    FLOW,
    1,
    _context,
    page="editor/strips.html",
    answer="editor/map_changed.html",
    lists=_lists,
    detail="strip",
    keys=(
        ("`arrows`", "from cell to cell; with `Shift` a range"),
        ("`Enter`, or typing", "change the cell; `Esc` keeps the old text, `Tab` opens the next cell"),
        ("`Delete`", "empty the cells"),
        ("`Ctrl c` `Ctrl v`", "copy and paste cells, also from a spreadsheet"),
        ("`Ctrl d`", "fill the first row of the range down"),
        ("`Space`", "select the row, for everything the map offers for several"),
        ("`Alt Enter`", "details of the strip"),
        ("`c`", "in details: connect this strip"),
        ("`↑` `↓` on a grip", "in details: move the insert"),
        ("`[` `]`", "in details: previous strip, next strip"),
    ),
)
