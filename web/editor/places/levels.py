"""The Levels page: one source's path to an endpoint as a stepped line, the inputs of a sum, and all endpoints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest

from lattice.gain_staging.chain import Stage, figures, likely_db
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.shares import inflow, sources_of
from lattice.gain_staging.source_response import LIKELY, SourceResponse
from lattice.graph.origin import NO_OUTLET
from lattice.graph.paths import Path
from lattice.graph.reach import upstream
from lattice.graph.signal_graph import IN, SignalGraph
from lattice.model.choices import in_turn
from lattice.model.document import Profile
from lattice.model.layouts import channel_names
from lattice.model.units import words_db
from lattice.tracing import trace
from web.editor.places.base import FIGURES, Context, Place, wanted
from web.editor.places.level_steps import LevelStep, level_steps
from web.shelf.workspace import Workspace

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 812, 330, 40, 6, 8, 62
MOST_DB, STEP_DB, LEAST_SPAN_DB = 12, 6, 36
MOST_STAGES = 16


def levels_place(space: Workspace, wanted: str, end: str, sum_at: str) -> dict[str, Any]:
    """Everything on the page. Unknown or silent ids are replaced by the loudest."""
    levels, graph = space.analysis.levels, space.graph
    ends = endpoints(space)
    if not ends:
        return {"ends": []}
    target = graph.index.get(end, -1)
    if target < 0 or levels.at_end(target) is None:
        target = max(ends, key=lambda entry: entry[2])[0]
    sources = space.once("sources, loudest first", target, lambda: _sources(space, target))
    start = next((one for one in sources if wanted in (one.id, one.id.partition("/")[0])), next(iter(sources), None))
    path = _path(space, start, target) if start is not None else None
    steps = level_steps(levels, path) if path else []
    strip_number = graph.index.get(sum_at, -1)
    if strip_number < 0 or not levels.stages[strip_number]:
        strip_number = _fullest(levels, path, target)
    chosen = levels.at_end(target)
    if chosen is None:
        raise ValueError(f"{graph.strips[target].id} has no levels")
    others = [] if any(strip == target for strip, *_rest in ends) else [target]
    return {
        "ends": [_end_row(space, *entry, chosen=entry[0] == target) for entry in ends],
        "sources": sources,
        "resting": resting_on_assumed(space),
        "assumed": sum(_is_assumed(space, one.id) for one in sources),
        "end_choices": [graph.strips[number] for number in (*(strip for strip, *_rest in ends), *others)],
        "alternating": _alternating(space),
        "start": start,
        "target": graph.strips[target],
        "target_channels": channels(chosen, space.graph.chain_layout[target], space.template.profile),
        "chart": _chart([step for step in steps if step.drawn], space.template.profile) if steps else None,
        "level_steps": steps,
        "sum": graph.strips[strip_number],
        "sum_levels": figures(levels.stages[strip_number][IN]).loudest
        if levels.stages[strip_number]
        else (None, None, None),
        "sum_channels": _sum_channels(space, strip_number) if strip_number != target else None,
        "inflow": _inflow_rows(levels, strip_number),
        "cut": bool(levels.cut),
        "states": ("on", "bypassed", "unloaded"),
    }


def _alternating(space: Workspace) -> list[str]:
    """Choices by turn: “Songs, 1 of 5”."""
    return [
        f"{choice.name}, {choice.sounding} of {len(choice.members)}"
        for choice in space.template.choices
        if in_turn(choice)
    ]


@dataclass(frozen=True)
class SourceChoice:
    """A source to choose: a chain, or one of several outlets."""

    id: str  # strip, or strip/outlet
    name: str
    strip: int
    outlet: int


def endpoints(space: Workspace) -> list[tuple[int, Stage, float]]:
    """(strip, stage, likely dB) of every output and print that sounds."""
    levels, graph = space.analysis.levels, space.graph
    found = []
    for number in (*graph.by_kind["output"], *graph.by_kind["print"]):
        stage = levels.at_end(number)
        if stage is not None and number not in graph.tied_out:
            found.append((number, stage, likely_db(stage)))
    return found


def _end_row(space: Workspace, number: int, stage: Stage, likely: float, *, chosen: bool) -> dict[str, Any]:
    peak, _likely, rms = figures(stage).loudest
    strip = space.graph.strips[number]
    return {
        "strip": strip, "peak": peak, "likely": likely, "rms": rms, "chosen": chosen, "over": likely > 0,
        "room": -likely, "bar": max(0.0, min(100.0, -likely * 100 / 24)),
    }  # fmt: skip


def resting_on_assumed(space: Workspace) -> frozenset[str]:
    """Ids of strips with an assumed source in their level."""
    rests = space.analysis.rests_on_assumed
    return frozenset(strip.id for number, strip in enumerate(space.graph.strips) if rests(number))


def _sources(space: Workspace, target: int) -> list[SourceChoice]:
    """Sources that reach an endpoint, loudest first."""
    levels, graph, found = space.analysis.levels, space.graph, []
    before = upstream(graph, target)
    only = frozenset(route for strip in before for route in graph.ins[strip])
    for strip, outlet in sources_of(levels):
        response = SourceResponse(levels, strip, outlet, LIKELY, only)
        if target in response.at_in:
            ending = f"/{graph.outlets[outlet][1].id}" if outlet >= 0 else ""
            name = space.analysis.source_name(strip, outlet)
            one = SourceChoice(graph.strips[strip].id + ending, name, strip, outlet)
            found.append((-response.level(response.at_in[target]), strip, outlet, one))
    return [one for *_order, one in sorted(found, key=lambda entry: entry[:3])]


def _path(space: Workspace, start: SourceChoice, target: int) -> Path | None:
    ways = trace(space.graph, start.id, space.graph.strips[target].id, most=8).paths
    return next((path for path in ways if not path.blockers and path.outlet == start.outlet), None)


def _fullest(levels: Levels, path: Path | None, target: int) -> int:
    """The sum on the path with the highest likely level."""
    on_way = path.strips(levels.graph) if path else [target]
    sums = [n for n in on_way if len(levels.graph.ins[n]) > 1 and levels.stages[n]] or [target]
    return max(sums, key=lambda n: likely_db(levels.stages[n][0]))


CHANNEL_ROW, CHANNEL_LEFT, CHANNEL_WIDE, CHANNEL_LOW_DB, CHANNEL_HIGH_DB = 18, 30, 264, -48.0, 12.0


def channels(stage: Stage, layout: str, profile: Profile) -> dict[str, Any]:
    """Every channel of a stage against full scale, the room that is wanted and the operating level."""
    shown = figures(stage)
    wide = CHANNEL_WIDE - CHANNEL_LEFT

    def x(level_db: float | None) -> float:
        inside = CHANNEL_LOW_DB if level_db is None else max(CHANNEL_LOW_DB, min(CHANNEL_HIGH_DB, level_db))
        return round(CHANNEL_LEFT + (inside - CHANNEL_LOW_DB) * wide / (CHANNEL_HIGH_DB - CHANNEL_LOW_DB), 1)

    rows = [
        {
            "name": name, "peak": peak, "likely": likely, "rms": rms, "over": likely is not None and likely > 0,
            "y": at * CHANNEL_ROW, "mid": at * CHANNEL_ROW + 13,
            "x": x(rms), "width": max(x(peak) - x(rms), 1.0), "tick": x(likely),
        }
        for at, (name, peak, likely, rms) in enumerate(
            zip(channel_names(layout), shown.peak_dbfs, shown.likely_dbfs, shown.rms_dbfs, strict=True)
        )
    ]  # fmt: skip
    rules = (("full", 0.0), ("room", -profile.mix_headroom_db), ("operating", profile.operating_level_dbfs))
    return {
        "rows": rows, "height": len(rows) * CHANNEL_ROW + 2, "width": CHANNEL_WIDE,
        "rules": [{"kind": kind, "x": x(level)} for kind, level in rules],
    }  # fmt: skip


def _sum_channels(space: Workspace, number: int) -> dict[str, Any] | None:
    found, strip = space.analysis.levels.stages[number], space.graph.strips[number]
    return channels(found[IN], strip.layout, space.template.profile) if found else None


def _chart(columns: list[LevelStep], profile: Profile) -> dict[str, Any]:
    """Corner points of the stepped lines, rules and labels."""
    columns = columns[:MOST_STAGES]
    known = [db for column in columns for db in (column.peak_db, column.rms_db) if db is not None] or [0.0]
    high = min(MOST_DB * 3, max(MOST_DB, -(-max(known) // STEP_DB) * STEP_DB))
    low = max(min(high - LEAST_SPAN_DB, (min(known) // STEP_DB) * STEP_DB), high - 96)
    wide = (WIDTH - LEFT - RIGHT) / len(columns)

    def y(level_db: float | None) -> float:
        inside = low if level_db is None else max(low, min(high, level_db))
        return round(TOP + (high - inside) * (HEIGHT - TOP - FOOT) / (high - low), 1)

    def line(levels: list[float | None]) -> str:
        corners = [f"{LEFT + (at + side) * wide:.1f},{y(level)}" for at, level in enumerate(levels) for side in (0, 1)]
        return " ".join(corners)

    peaks, likely, rms = ([getattr(c, name) for c in columns] for name in ("peak_db", "likely_db", "rms_db"))
    back = line(rms).split(" ")[::-1]
    rules = [
        {"y": y(level), "words": words, "kind": kind}
        for level, words, kind in (
            (0.0, "full scale", "full"),
            (-profile.mix_headroom_db, "required headroom on the mix", "room"),
            (profile.operating_level_dbfs, "operating level, a sine", "operating"),
        )
        if low <= level <= high
    ]
    return {
        "width": WIDTH, "height": HEIGHT, "left": LEFT, "right": WIDTH - RIGHT, "foot": HEIGHT - FOOT, "top": TOP,
        "band": line(peaks) + " " + " ".join(back), "peak": line(peaks), "likely": line(likely), "rms": line(rms),
        "own": line([column.own_db for column in columns]), "rules": rules,
        "scale": [{"y": y(db), "words": words_db(db)[:-2]} for db in range(int(low), int(high) + 1, STEP_DB)],
        "columns": [_column_place(column, LEFT + at * wide, wide) for at, column in enumerate(columns)],
    }  # fmt: skip


def _column_place(column: LevelStep, x: float, wide: float) -> dict[str, Any]:
    return {
        "x": round(x, 1), "tx": round(x + 4, 1), "end": round(x + wide - 4, 1), "column": column,
        "name": _cut(column.name, wide), "what": _cut(column.what, wide), "figure": words_db(column.likely_db),
    }  # fmt: skip


def _is_assumed(space: Workspace, source: str) -> bool:
    """Return whether the level of a source is assumed."""
    strip, _slash, outlet = source.partition("/")
    number = space.graph.index[strip]
    return space.analysis.is_assumed(number, space.graph.outlet_index.get((number, outlet), NO_OUTLET))


def _cut(words: str, wide: float) -> str:
    most = max(3, int(wide / 5.6))
    return words if len(words) <= most else words[: most - 1] + "…"


FEED_WORDS = {"change_strip": "fader of", "change_route": "gain of the route from"}  # by the edit that rules a feed


def _inflow_rows(levels: Levels, strip_number: int) -> list[dict[str, Any]]:
    graph = levels.graph
    return [
        {
            "route": graph.routes[share.route], "strip": graph.strips[graph.tail[share.route]],
            "likely": share.likely_db, "expected": share.expected_db, "percent": 100 * share.share,
            "control": (control := _feed_control(graph, share.route)), "mark": f"wf-{graph.routes[share.route].id}",
            "words": f"{FEED_WORDS[control['edit']]} {graph.strips[graph.tail[share.route]].name}",
        }
        for share in inflow(levels, strip_number)
    ]  # fmt: skip


def _feed_control(graph: SignalGraph, number: int) -> dict[str, Any]:
    """The fader that rules a post-fader feed, else the gain of the route itself."""
    route, strip = graph.routes[number], graph.strips[graph.tail[number]]
    if strip.fader_db is not None and route.tap == "post-fader" and route.from_outlet is None:
        return {"edit": "change_strip", "field": "fader_db", "value": words_db(strip.fader_db), "strip": strip.id}
    return {
        "edit": "change_route", "field": "gain_db", "value": words_db(route.gain_db), "strip": strip.id,
        "hidden": "route", "id": route.id,
    }  # fmt: skip


def _context(request: HttpRequest, context: Context) -> Context:
    return levels_place(context["space"], *(wanted(request, name) for name in ("strip", "to", "at")))


PLACE = Place("levels", "Levels", FIGURES, 0, _context)
