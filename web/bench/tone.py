"""Test tones: form, run, result on the map, playback."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import soundfile
from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_POST, require_safe

from lattice.bench.render.renderer import AT_POST, Renderer, Tap
from lattice.bench.tone import PLAYS, origins_of, signals_in_turn
from lattice.drawing import Slots, draw
from lattice.drawing.drawing import opens_folded
from lattice.drawing.svg import pieces
from lattice.errors import DocumentError, EditError
from lattice.model.document import Strip, Template
from lattice.model.selectors import names_of, select, selectors_of
from lattice.model.units import words_db
from web.accounts.signed_in import signed_in_user
from web.bench import services
from web.bench.models import ToneRun
from web.bench.views import bench_frame
from web.shared.bodies import takes_files
from web.shared.downloads import as_file
from web.shelf.access import may, template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

SIGNALS = (
    ("noise", "independent noise"),
    ("sine", "997 Hz sine"),
    ("burst", "burst of the pilots"),
    ("pink", "pink noise"),
    ("file", "a recording"),
)
MOST_S, MOST_EACH_S, MOST_HEARD_S = 60.0, 2.0, 10.0
MOST_ROWS = 600
USUAL: dict[str, Any] = {"sources": ["*"], "signal": "noise", "level_dbfs": None, "seconds": 2.0, "each": False}
PLOT = (300, 60)  # px
DEEPEST_DB = 24.0  # of a plot: at least the range below


@require_safe
def tone_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _page(request, template_or_404(request, pk))


def _page(request: HttpRequest, stored: StoredTemplate, status: int = 200, **said: Any) -> HttpResponse:
    run = stored.tones.first()
    context = {
        **bench_frame(request, stored, "tone"),
        "signals": SIGNALS,
        **_chosen(stored, run),
        **_body(stored, run),
        **said,
    }
    return render(request, "bench/tone.html", context, status=status)


def _chosen(stored: StoredTemplate, run: ToneRun | None) -> dict[str, Any]:
    """The values of the form: as in the last run."""
    space = workspace(stored)
    playing = list(dict.fromkeys(origin.strip for origin in space.analysis.sources))
    asked: dict[str, Any] = run.asked if run else USUAL
    return {
        "asked": asked,
        "asked_sources": names_of(space.template, asked["sources"]),
        "players": [space.template.strips[number] for number in playing[:MOST_ROWS]],
        "sections_playing": list(space.template.sections),
    }


def _body(stored: StoredTemplate, run: ToneRun | None) -> dict[str, Any]:
    """The result of a run, or its progress."""
    context: dict[str, Any] = {"stored": stored, "run": run}
    if run is None or run.state != ToneRun.DONE:
        return context
    context["is_current"] = run.version == stored.version
    if "turns" in run.content:
        return {**context, "turns": _turns(stored, run.content["turns"])}
    heard = run.content["heard"]
    context["plays"] = PLAYS[run.asked["signal"]]
    return {**context, "heard": heard, **_heard(stored, heard)}


def _turns(stored: StoredTemplate, turns: list[dict[str, Any]]) -> list[dict[str, Any]]:
    names = {strip.id: strip.name for strip in workspace(stored).template.strips}
    rows = [one for one in turns if one["heard_dbfs"] is not None or one["computed_dbfs"] is not None]
    return [
        {
            **one,
            "name": names.get(one["source"].partition("/")[0], one["source"]),
            "end": names.get(one["endpoint"], one["endpoint"]),
        }
        for one in rows
    ]


def _heard(stored: StoredTemplate, heard: dict[str, Any]) -> dict[str, Any]:
    space = workspace(stored)
    names = {strip.id: strip.name for strip in space.template.strips}
    inserts = {insert.id: insert.title for strip in space.template.strips for insert in strip.inserts}
    by_strip: dict[str, dict[str, Any]] = {}
    for stage in heard["stages"]:
        by_strip.setdefault(stage["strip"], {})[stage["stage"]] = stage
    sheet = draw(space.graph, space.feedback, opens_folded(space.graph), Slots())
    drawing = pieces(sheet, (), space.template.name, {})
    rows = [
        (strip, names[strip], _levels(stages.get("in")), _levels(stages.get("post")), _stages(stages, inserts))
        for strip, stages in by_strip.items() if strip in names
    ]  # fmt: skip
    works = {insert.id: (insert, strip) for strip in space.template.strips for insert in strip.inserts}
    return {
        "rows": rows[:MOST_ROWS],
        "stopped": [(names.get(strip, strip), words) for strip, words in heard["silent"].items()],
        "sounding": " ".join(strip for strip, _name, _in, post, _all in rows if post),
        "svg": mark_safe(drawing.whole()),  # noqa: S308 - escaped where it is made
        "plots": [
            _plot(f"{works[name][0].name or works[name][0].type} on {works[name][1].name}", line)
            for name, line in heard["reductions_db"].items() if name in works
        ],
    }  # fmt: skip


def _stages(stages: dict[str, Any], inserts: dict[str, str]) -> list[tuple[str, str, Any]]:
    """(id, label, figures) of the stages between `in` and `post`."""
    return [(name, inserts[name], _levels(stage)) for name, stage in stages.items() if name in inserts]


def _levels(stage: dict[str, Any] | None) -> dict[str, Any] | None:
    """RMS and peak in words: both sides of a pair, of more channels the loudest; and the first sample."""
    if stage is None:
        return None
    return {"rms": _words(stage["rms_dbfs"]), "peak": _words(stage["peak_dbfs"]), "first": stage["first_sample"]}


def _words(levels: list[float | None]) -> str:
    if len(levels) <= 2:
        return " ".join(words_db(level) for level in levels)
    return f"{words_db(max((level for level in levels if level is not None), default=None))} of {len(levels)}"


def _plot(name: str, line: list[float]) -> dict[str, Any]:
    """The gain reduction of an insert over the run: from the top down."""
    width, height = PLOT
    deepest = max(DEEPEST_DB, *line) if line else DEEPEST_DB
    step = width / max(len(line) - 1, 1)
    points = " ".join(f"{n * step:.1f},{value / deepest * height:.1f}" for n, value in enumerate(line))
    return {
        "name": name,
        "points": points,
        "most": max(line, default=0.0),
        "last": line[-1] if line else 0.0,
        "deepest": deepest,
    }


@takes_files(settings.LARGEST_FILE, may("edit"))
@require_POST
def run(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    try:
        asked = _asked(request, workspace(stored).template)
        origins_of(workspace(stored).analysis, select(workspace(stored).template, asked["sources"]))
        services.begin_tone(stored, signed_in_user(request), asked, request.FILES.get("file"))
    except DocumentError as wrong:
        return _page(request, stored, 422, problems=wrong.problems)
    return redirect("tone", pk)


def _asked(request: HttpRequest, template: Template) -> dict[str, Any]:
    """The run of a form. Raises EditError."""
    each = request.POST.get("each") == "1"
    level = request.POST.get("level", "").strip().replace("−", "-").replace(",", ".")
    try:
        seconds = float(request.POST.get("seconds", "2").replace(",", "."))
        level_dbfs = float(level) if level else None
    except ValueError:
        raise EditError("level and length must be numbers, in dBFS and seconds") from None
    most = MOST_EACH_S if each else MOST_S
    if not 0 < seconds <= most:
        raise EditError(
            f"{seconds:g} s; more than 0 and at most {most:g} s are allowed" + (" for each in turn" if each else "")
        )
    if level_dbfs is not None and not -120 <= level_dbfs <= 0:
        raise EditError(f"{level_dbfs:g} dBFS; −120 to 0 are allowed")
    signal = request.POST.get("signal", "noise")
    if signal not in dict(SIGNALS):
        raise EditError(f"“{signal}” is not a test signal")
    try:
        sources = selectors_of(template, request.POST.get("sources", ""))
    except ValueError as wrong:
        raise EditError(f"from: {wrong}") from None
    if each and signal == "noise":
        signal = "sine"  # alone, a steady signal is compared with the computed level
    return {"sources": sources, "signal": signal, "level_dbfs": level_dbfs, "seconds": seconds, "each": each}


@require_safe
def progress(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    return render(request, "bench/tone_body.html", _body(stored, stored.tones.first()))


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    for one in template_or_404(request, pk).tones.filter(state__in=ToneRun.UNDER_WAY):
        one.cancel()
    return redirect("tone", pk)


def _place(strip: Strip, stage: str) -> int:
    """Where a stage of a strip is taken: `in`, behind one of its inserts, `post`."""
    places = {"in": 0, "post": AT_POST} | {insert.id: n for n, insert in enumerate(strip.inserts, start=1)}
    if stage not in places:
        raise Http404
    return places[stage]


@require_safe
def sound(request: HttpRequest, pk: int) -> HttpResponse:
    """One stage of the newest run, for playback or download: rendered again, its first ten seconds."""
    stored = template_or_404(request, pk)
    run = stored.tones.first()
    analysis = workspace(stored).analysis
    number = analysis.graph.index.get(request.GET.get("strip", ""))
    if run is None or number is None or "sources" not in run.asked:
        raise Http404
    place = _place(analysis.graph.strips[number], request.GET.get("stage", "post"))
    rate = analysis.template.sample_rate_hz
    seconds = min(run.asked["seconds"], MOST_HEARD_S)
    wanted = run.wanted(seconds)
    try:
        origins = origins_of(analysis, select(analysis.template, run.asked["sources"]))
        tap = Tap(number, place)
        signals, turns, turn = signals_in_turn(analysis.graph, origins, wanted)
        samples = min(turn * turns, round(MOST_HEARD_S * rate))
        renderer = Renderer(analysis.template, signals, [tap])
        whole: np.ndarray[Any, np.dtype[np.float64]] | None = None
        for done in renderer.blocks(samples):
            block = done.sound.get(tap)
            if block is not None:
                if whole is None:
                    whole = np.zeros((samples, len(block)))
                whole[done.start : done.start + done.count] = block.T
    except DocumentError as wrong:
        return HttpResponse(wrong.problems[0], status=422, content_type="text/plain")
    out = io.BytesIO()
    soundfile.write(
        out, np.zeros((1, 1)) if whole is None else np.clip(whole[:, :2], -1, 1), rate, "PCM_24", format="WAV"
    )
    return as_file(out.getvalue(), f"{analysis.graph.strips[number].id}.wav", "audio/wav", is_shown=True)
