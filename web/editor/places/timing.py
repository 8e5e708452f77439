"""The Timing page: every strip's inserts as lengths on one axis, compensation, late keys, latency causes."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any

from django.http import HttpRequest

from lattice.checks.clocks import nearest_note
from lattice.checks.misaligned import worst_comb
from lattice.latency.arrivals import Arrivals, actual_samples
from lattice.latency.comb import Comb
from lattice.latency.monitoring import monitored
from lattice.latency.paths import critical_path
from lattice.model.document import Strip
from lattice.model.insert_types import REPEATING
from lattice.model.units import samples_to_ms
from web.editor.places.base import FIGURES, Context, Place, wanted
from web.editor.what_if import without_insert
from web.shelf.workspace import Workspace

WIDTH, LEFT, ROW, HEAD, BAR = 848, 170, 30, 26, 14
MOST_ROWS = 60
BUFFERS = (64, 128, 256, 512)
LEAST_LABEL = 5.4  # px a letter
COMB_WIDTH, COMB_HEIGHT = 230, 76
COMB_TOP_DB, COMB_FLOOR_DB = 6.1, -24.0
LOWEST_HZ, HIGHEST_HZ = 20.0, 20_000.0


def timing_place(space: Workspace, section: str = "") -> dict[str, Any]:
    """Everything the place shows. Where there are many strips, only the critical path and one section are open."""
    arrivals, template = space.analysis.arrivals, space.template
    total = arrivals.total_samples
    numbers = _rows(arrivals)
    end = _round_up(max([total or 0, *(span.latest for n in numbers if (span := arrivals.at_pre(n)))], default=0))
    output = arrivals.latest_output
    steps = critical_path(arrivals, output) if output is not None else []
    on_path = {step.strip for step in steps}

    def x(samples: float) -> float:
        return round(LEFT + samples * (WIDTH - LEFT - 26) / end, 1)

    def ms(samples: float) -> float:
        return samples_to_ms(samples, template.sample_rate_hz)

    lines = _folded(space, numbers, section, on_path)
    rows = [
        _row(space, line, at, x, line in on_path) if isinstance(line, int) else _section_row(space, *line, at, x)
        for at, line in enumerate(lines)
    ]
    marks = [end * part // 6 for part in range(7)]
    gains = space.once("latency without each insert", output, lambda: _gains(space, steps, total or 0))
    return {
        "total": total, "total_ms": ms(total or 0), "rows": rows, "opened": space.analysis.sections.get(section),
        "ticks": [{"x": x(samples), "samples": samples, "ms": ms(samples)} for samples in marks],
        "width": WIDTH, "height": HEAD + ROW * len(rows) + 8, "total_x": x(total or 0), "head": HEAD, "left": LEFT,
        "steps": [_step(space, step) for step in steps if step.samples], "gains": gains,
        "live": _live(space), "comb": _comb(space), "delays": _delays(space),
        "output": None if output is None else space.graph.strips[output],
        "cut": bool(space.feedback),
        "unstated": next((one.message for one in space.audit.findings if one.code == "latency.unstated"), ""),
    }  # fmt: skip


def _round_up(samples: int) -> int:
    step: int = 2 ** max(6, math.ceil(math.log2(max(samples, 1) / 6)))
    return 6 * step if samples > 3 * step else 3 * step


def _rows(arrivals: Arrivals) -> list[int]:
    """Strips that take time, wait, or set the latency, in the order of the flow."""
    graph, found = arrivals.graph, []
    for node in arrivals.order:
        if node >= len(graph.strips) or arrivals.span(node) is None:
            continue
        waits = any(arrivals.delays.get(route) for route in graph.outs[node])
        if arrivals.chain[node] != (0, 0) or waits or graph.strips[node].kind in ("output", "print", "master"):
            found.append(node)
    return found


def _folded(space: Workspace, numbers: list[int], section: str, on_path: set[int]) -> list[int | tuple[str, list[int]]]:
    """Strips in a row each; where they are many, those of a section that is not open are one row together."""
    if len(numbers) <= MOST_ROWS:
        return list(numbers)
    rows: list[int | tuple[str, list[int]]] = []
    together: dict[str, list[int]] = {}
    for strip_number in numbers:
        its = space.graph.strips[strip_number].section or ""
        if strip_number in on_path or not its or its == section:
            rows.append(strip_number)
        else:
            if its not in together:
                together[its] = []
                rows.append((its, together[its]))
            together[its].append(strip_number)
    return rows


def _section_row(space: Workspace, section: str, numbers: list[int], at: int, x: Any) -> dict[str, Any]:
    """Many strips of a section in one row: from the first arrival to the last that leaves."""
    arrivals, its = space.analysis.arrivals, space.analysis.sections[section]
    spans = [span for number in numbers if (span := arrivals.span(number))]
    first, last = min(span.earliest for span in spans), max(arrivals.at_pre(n).latest for n in numbers)  # type: ignore[union-attr]
    y, many = HEAD + at * ROW, f"{len(numbers)} strip{'s' if len(numbers) > 1 else ''}"
    return {
        "href": f"?section={section}", "name": its.name, "y": y, "text_y": y + 12, "sub_y": y + 24, "bar_y": y + 5,
        "bar_height": BAR, "bars": [_bar(x, first, last - first, "fold", "") | {"title": f"{first} to {last} samples"}],
        "words": f"{many}, {first} to {last}", "colour": its.colour or "transparent", "marks": [], "unreported": "",
    }  # fmt: skip


def _row(space: Workspace, strip_number: int, at: int, x: Any, on_path: bool) -> dict[str, Any]:
    arrivals, strip = space.analysis.arrivals, space.graph.strips[strip_number]
    span = arrivals.span(strip_number)
    start = span.latest if span else 0
    y = HEAD + at * ROW
    bars, now = [], start
    nodes = {arrivals.loops.place[node]: node for node in arrivals.loops.keyed.get(strip_number, ())}
    marks = []
    for place, insert in enumerate(strip.inserts):
        if (node := nodes.get(place)) is not None:
            wait = arrivals.waits.get(node, 0)
            if wait:
                bars.append(_bar(x, now, wait, "wait", ""))
                now += wait
            marks += _key_marks(space, node, x, now)
        took = actual_samples(insert)
        if took:
            bars.append(_bar(x, now, took, "path" if on_path else "take", insert.title))
            now += took
    held = max((arrivals.delays.get(route, 0) for route in space.graph.outs[strip_number]), default=0)
    if held:
        bars.append(_bar(x, now, held, "wait", ""))
    section = space.analysis.sections.get(strip.section or "")
    leaves = f", leaves {now}" if now != start else ""
    words = f"arrives {start}{leaves}" + (f", compensation {held}" if held else "")
    told = arrivals.chain[strip_number][0]
    return {
        "href": f"../strips/?strip={strip.id}", "name": strip.name,
        "y": y, "text_y": y + 12, "sub_y": y + 24, "bar_y": y + 5, "bar_height": BAR, "bars": bars,
        "words": words,
        "colour": (section and section.colour) or "transparent", "marks": marks, "x": x(start), "on_path": on_path,
        "unreported": "" if told == arrivals.chain[strip_number][1] else f"reports {told}",
        "end_x": x(now) + 6,
    }  # fmt: skip


def _bar(x: Any, start: int, samples: int, kind: str, words: str) -> dict[str, Any]:
    wide = round(x(start + samples) - x(start), 1)
    fits = int((wide - 8) / LEAST_LABEL)
    shown = words if len(words) <= fits else words[: fits - 1] + "…" if fits > 3 else ""
    return {
        "x": x(start),
        "width": max(wide, 1.0),
        "kind": kind,
        "words": shown,
        "title": f"{words} {samples} samples".strip(),
    }


def _key_marks(space: Workspace, node: int, x: Any, audio: int) -> list[dict[str, Any]]:
    arrivals, found = space.analysis.arrivals, []
    for route in arrivals.keys_to(node):
        span = arrivals.brought(route)
        if span is not None:
            late = span.latest - audio
            words = "" if late == 0 else f"key {abs(late)} samples {'late' if late > 0 else 'early'}"
            found.append({"x": x(span.latest), "audio_x": x(audio), "words": words, "late": late > 0})
    return found


def _step(space: Workspace, step: Any) -> dict[str, Any]:
    strip: Strip = space.graph.strips[step.strip]
    insert = next((insert for insert in strip.inserts if insert.id == step.id), None)
    words = {"insert": insert and insert.title, "tie": "tie line", "output": "output of the machine"}
    return {"strip": strip, "what": words.get(step.what) or "compensation, or source", "samples": step.samples}


def _gains(space: Workspace, steps: list[Any], total: int) -> list[dict[str, Any]]:
    """The latency of the whole template without one insert of the critical path, the largest reduction first."""
    gains = []
    for step in sorted((s for s in steps if s.what == "insert" and s.samples), key=lambda s: -s.samples)[:4]:
        then = without_insert(space.template, step.id).arrivals.total_samples or 0
        insert = next(insert for insert in space.graph.strips[step.strip].inserts if insert.id == step.id)
        if then < total:
            ms = samples_to_ms(then, space.template.sample_rate_hz)
            gains.append(
                {
                    "name": insert.title,
                    "strip": space.graph.strips[step.strip],
                    "then": then,
                    "ms": ms,
                    "won": total - then,
                }
            )
    return gains  # fmt: skip


def _live(space: Workspace) -> list[dict[str, Any]]:
    """Monitoring times of live inputs at four buffers, against the limit."""
    limit, now = space.template.profile.monitor_limit_ms, space.template.buffer_samples
    names, rows = space.graph.strips, []
    for heard in monitored(space.analysis.arrivals, space.analysis.levels):
        times = [(size, heard.ms(size)) for size in BUFFERS]
        most = max(limit * 1.5, times[-1][1])
        bars = [
            {"size": size, "ms": ms, "bar": 100 * ms / most, "over": ms > limit, "now": size == now}
            for size, ms in times
        ]
        rows.append(
            {"source": names[heard.source], "output": names[heard.output], "bars": bars, "limit": 100 * limit / most}
        )
    return rows[:6]


def _comb(space: Workspace) -> dict[str, Any] | None:
    """The comb of the worst misaligned pair, 20 Hz to 20 kHz: a band from its lowest to its highest in each pixel."""
    for finding in space.audit.findings:
        if finding.code == "time.misaligned" and finding.figures.get("notch_hz"):
            comb = worst_comb(space.analysis, space.graph.index[finding.strips[0]])
            if comb is not None:
                rate_hz = space.template.sample_rate_hz
                return {
                    "finding": finding, "band": comb_band(comb, rate_hz), "notch": comb.notch_hz(rate_hz),
                    "skew": comb.skew, "beside": -comb.beside_db, "turned": comb.turned,
                    "width": COMB_WIDTH, "height": COMB_HEIGHT, "zero_y": _comb_y(0.0),
                }  # fmt: skip
    return None


def comb_band(comb: Comb, rate_hz: int) -> str:
    """Points of the band: along its upper edge, and back along the lower one."""
    edges = [LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** (step / COMB_WIDTH) for step in range(COMB_WIDTH + 1)]
    bands = [comb.band_db(low, high, rate_hz) for low, high in pairwise(edges)]
    upper = [f"{step},{_comb_y(high):.1f}" for step, (_low, high) in enumerate(bands)]
    lower = [f"{step},{_comb_y(low):.1f}" for step, (low, _high) in enumerate(bands)]
    return " ".join(upper + lower[::-1])


def _comb_y(level_db: float) -> float:
    """Pixels from the top: 6 dB, where two equal arrivals meet, down to the floor."""
    level_db = max(level_db, COMB_FLOOR_DB)
    return 4 + (COMB_TOP_DB - level_db) / (COMB_TOP_DB - COMB_FLOOR_DB) * (COMB_HEIGHT - 8)


def _delays(space: Workspace) -> list[dict[str, Any]]:
    rows = []
    for strip_number, place in space.graph.places_of(REPEATING):
        strip = space.graph.strips[strip_number]
        insert = strip.inserts[place]
        if insert.delay_ms:
            near = nearest_note(insert.delay_ms, space.template.tempo_bpm)
            rows.append(
                {
                    "strip": strip,
                    "ms": insert.delay_ms,
                    "words": f"{near[0]}, {near[1]:.1f} ms" if near else "no note value",
                }
            )
    return rows  # fmt: skip


def _context(request: HttpRequest, context: Context) -> Context:
    return timing_place(context["space"], wanted(request, "section"))


PLACE = Place("timing", "Timing", FIGURES, 1, _context)
