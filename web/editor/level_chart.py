"""The Levels place: one source's way to an endpoint as a stepped line, what a sum takes in, and all endpoints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lattice.graph.compiled import IN, POST
from lattice.graph.paths import Path
from lattice.levels.chain import Stage, entering, figures, likely_db
from lattice.levels.levels import Levels
from lattice.levels.shares import inflow, sources_of
from lattice.levels.single import LIKELY, Single
from lattice.model.document import Profile
from lattice.model.units import decibels, words_db
from lattice.trace import trace
from web.shelf.workspace import Workspace

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 812, 330, 40, 6, 8, 62
MOST_DB, STEP_DB, LEAST_SPAN_DB = 12, 6, 36
MOST_STAGES = 16


@dataclass(frozen=True)
class Column:
    """One stage of the way: what is there in all (loudest channel), and the source's own part of it."""

    strip: str  # its id, for links; "" within the same strip
    name: str
    what: str
    peak_db: float | None
    likely_db: float | None
    rms_db: float | None
    own_db: float | None


def levels_place(space: Workspace, wanted: str, end: str, sum_at: str) -> dict[str, Any]:
    """Everything the place shows. Unknown or silent ids fall back on what is loudest."""
    levels, compiled = space.scene.levels, space.compiled
    ends = _ends(space)
    if not ends:
        return {"ends": []}
    target = compiled.index.get(end, -1)
    if target not in {number for number, *_rest in ends}:
        target = max(ends, key=lambda entry: entry[2])[0]
    sources = _sources(space, target)
    start = next((number for number in sources if compiled.strips[number].id == wanted), next(iter(sources), None))
    path = _path(space, start, target) if start is not None else None
    columns = _columns(levels, path) if path else []
    number = compiled.index.get(sum_at, -1)
    if number < 0 or not levels.stages[number]:
        number = _fullest(levels, path, target)
    return {
        "ends": [_end_row(space, *entry, chosen=entry[0] == target) for entry in ends],
        "sources": [compiled.strips[number] for number in sources],
        "start": compiled.strips[start] if start is not None else None,
        "target": compiled.strips[target],
        "chart": _chart(columns, space.template.profile) if columns else None,
        "sum": compiled.strips[number],
        "sum_levels": figures(levels.stages[number][IN]).loudest if levels.stages[number] else (None, None, None),
        "inflow": _inflow_rows(levels, number),
        "cut": bool(levels.cut),
    }


def _ends(space: Workspace) -> list[tuple[int, Stage, float]]:
    """(strip, stage, likely dB) of every output and print that sounds."""
    levels, compiled = space.scene.levels, space.compiled
    found = []
    for number in (*compiled.by_kind["output"], *compiled.by_kind["print"]):
        stage = levels.at_end(number)
        if stage is not None and number not in compiled.tied_out:
            found.append((number, stage, likely_db(stage)))
    return found


def _end_row(space: Workspace, number: int, stage: Stage, likely: float, *, chosen: bool) -> dict[str, Any]:
    peak, _likely, rms = figures(stage).loudest
    strip = space.compiled.strips[number]
    return {
        "strip": strip, "peak": peak, "likely": likely, "rms": rms, "chosen": chosen, "over": likely > 0,
        "room": -likely, "bar": max(0.0, min(100.0, -likely * 100 / 24)),
    }  # fmt: skip


def _sources(space: Workspace, target: int) -> list[int]:
    """Sources that come to an endpoint, loudest first."""
    levels, found = space.scene.levels, []
    for strip, outlet in sources_of(levels):
        if outlet < 0:
            single = Single(levels, strip, weight=LIKELY)
            if target in single.at_in:
                found.append((-single.level(single.at_in[target]), strip))
    return [strip for _level, strip in sorted(found)]


def _path(space: Workspace, start: int, target: int) -> Path | None:
    ids = space.compiled.strips[start].id, space.compiled.strips[target].id
    open_ways = [path for path in trace(space.compiled, *ids, most=8).paths if not path.blockers and path.outlet < 0]
    return open_ways[0] if open_ways else None


def _fullest(levels: Levels, path: Path | None, target: int) -> int:
    """The sum on the way with the highest likely level."""
    on_way = path.strips(levels.compiled) if path else [target]
    sums = [n for n in on_way if len(levels.compiled.ins[n]) > 1 and levels.stages[n]] or [target]
    return max(sums, key=lambda n: likely_db(levels.stages[n][0]))


def _columns(levels: Levels, path: Path) -> list[Column]:
    compiled, found = levels.compiled, []
    single = Single(levels, path.start, weight=LIKELY)
    strips = path.strips(compiled)
    for at, number in enumerate(strips):
        strip, stages = compiled.strips[number], levels.stages[number]
        leaves = compiled.stage[path.routes[at]] if at < len(path.routes) else POST
        count = sum(levels.brings(route) for route in compiled.ins[number])
        own = single.stages(number)
        what = "source" if at == 0 else f"sum of {count}" if count > 1 else "in"
        found.append(_column(strip.id, strip.name, what, stages[0], single.level(own[0])))
        if leaves != IN and not (at == len(path.routes) and strip.kind == "print" and strip.records == "in"):
            for place, insert in enumerate(strip.inserts):
                if insert.state == "on" and stages[place + 1] is not stages[place]:
                    said = _insert_words(levels, number, place)
                    found.append(_column(strip.id, "", said, stages[place + 1], single.level(own[place + 1])))
            post = levels.post[number]
            if leaves == POST and post is not None and strip.kind != "print" and strip.fader_db:
                words = f"fader {words_db(strip.fader_db)}"
                found.append(_column(strip.id, "", words, post, single.level(single.at(number, POST))))
    return found


def _insert_words(levels: Levels, number: int, place: int) -> str:
    insert = levels.compiled.strips[number].inserts[place]
    shown = levels.insert_figures(number, place)
    if shown.reduction_db:
        return f"{insert.type} {words_db(-shown.reduction_db)}"
    if shown.pushed_db:
        return f"{insert.type}, pushed {shown.pushed_db:.1f}"
    before = entering(levels.compiled.strips[number], levels.stages[number], place, levels.carriers)
    change = likely_db(levels.stages[number][place + 1]) - likely_db(before)
    return f"{insert.type} {words_db(change, plus=True)}"


def _column(strip: str, name: str, what: str, stage: Stage, own: float) -> Column:
    peak, likely, rms = figures(stage).loudest
    return Column(strip, name, what, peak, likely, rms, decibels(own) if own else None)


def _chart(columns: list[Column], profile: Profile) -> dict[str, Any]:
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
            (-profile.mix_headroom_db, "room wanted on the mix", "room"),
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


def _column_place(column: Column, x: float, wide: float) -> dict[str, Any]:
    return {
        "x": round(x, 1), "tx": round(x + 4, 1), "end": round(x + wide - 4, 1), "column": column,
        "name": _cut(column.name, wide), "what": _cut(column.what, wide), "figure": words_db(column.likely_db),
    }  # fmt: skip


def _cut(words: str, wide: float) -> str:
    most = max(3, int(wide / 5.6))
    return words if len(words) <= most else words[: most - 1] + "…"


def _inflow_rows(levels: Levels, number: int) -> list[dict[str, Any]]:
    compiled = levels.compiled
    return [
        {
            "route": compiled.routes[share.route], "strip": compiled.strips[compiled.tail[share.route]],
            "likely": share.likely_db, "expected": share.expected_db, "percent": 100 * share.share,
        }
        for share in inflow(levels, number)
    ]  # fmt: skip
