"""Levels that clip: at converters and files, and inside plug-ins that model levels."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cache, partial

from lattice.analysis import Analysis
from lattice.checks.assumed import Stands, standing
from lattice.checks.finding import Finding, Severity, first_of
from lattice.checks.registry import check, explain
from lattice.checks.softer import softer
from lattice.gain_staging.chain import Stage, entering, figures, level_of, likely_db
from lattice.gain_staging.levels import Levels
from lattice.gain_staging.shares import loudest_source
from lattice.model.document import Insert
from lattice.model.insert_types import EXTERNAL
from lattice.model.units import words_db

FULL_SCALE_DB = 1e-9  # dBFS; above it by more than rounding
SHOWN_DB = 0.1  # the smallest figure in a sentence
# Plug-ins that model analogue gear are made for levels near full scale; twice that amplitude sounds otherwise.
MODELLED_DB = 6.0


@dataclass(frozen=True)
class ClipPoint:
    """A stage where levels above full scale are lost: a converter, or a file of whole numbers."""

    strip: int
    stage: Stage
    what: str
    tap: str  # "post", "pre", "in" or the insert's id
    insert: str | None = None


@check("level.over")
def over(analysis: Analysis) -> Iterator[Finding]:
    """Above full scale at an output, a print's recorded stage or the path to outside gear."""
    notes: dict[Stands, list[ClipPoint]] = {}
    for point in points(analysis, analysis.levels):
        severity = _severity(analysis.levels, point)
        if severity is None:
            continue
        stands = standing(
            analysis,
            point.strip,
            severity,
            partial(_severity_at, point=point),
            peak_db=(figures(point.stage).loudest[0] or 0.0) if severity == "note" else 0.0,
            likely_db=likely_db(point.stage) if severity == "warning" else 0.0,
        )
        if likely_db(point.stage) > FULL_SCALE_DB:
            yield _over(analysis, point, stands, severity)
        else:
            notes.setdefault(stands, []).append(point)
    for stands, found in notes.items():
        yield _worst_case_only(analysis, found, stands)


def _severity_at(levels: Levels, point: ClipPoint) -> Severity | None:
    """The severity of a clip point at other levels."""
    stage = _stage_at(levels, point)
    return None if stage is None else _severity(levels, replace(point, stage=stage))


def _severity(levels: Levels, point: ClipPoint) -> Severity | None:
    sound, peak_gain = point.stage[:2]
    if max(sound.p) * peak_gain <= 1.0 or level_of([p * p for p in sound.p], peak_gain) <= FULL_SCALE_DB:
        return None
    if likely_db(point.stage) <= FULL_SCALE_DB:
        return "note"
    alone = loudest_source(levels, point.strip, point.tap)
    return "blocker" if alone is not None and alone.likely_db > FULL_SCALE_DB else "warning"


def points(analysis: Analysis, levels: Levels) -> Iterator[ClipPoint]:
    """Outputs at `post`, prints where they record, external inserts at their input; those that sound."""
    graph = analysis.graph
    external = {strip_number for strip_number, _place in graph.places_of(EXTERNAL)}
    for strip_number in sorted({*graph.by_kind["output"], *graph.by_kind["print"], *external}):
        strip, stages = graph.strips[strip_number], levels.stages[strip_number]
        if not stages:
            continue
        end = levels.at_end(strip_number)
        if strip.kind == "output" and strip_number not in graph.tied_out and end is not None:
            yield ClipPoint(strip_number, end, strip.name, "post")
        elif strip.kind == "print" and end is not None:
            yield ClipPoint(strip_number, end, strip.name, strip.records)
        for place, insert in enumerate(strip.inserts):
            if insert.traits.is_external and insert.state == "on":
                stage = entering(strip, stages, place, levels.carriers)
                name = insert.name or insert.id
                yield ClipPoint(strip_number, stage, f"Send from {strip.name} to {name}", insert.id, insert.id)


def _stage_at(levels: Levels, point: ClipPoint) -> Stage | None:
    """The stage of a clip point at other levels."""
    stages = levels.stages[point.strip]
    if point.insert is None or not stages:
        return levels.at_end(point.strip)
    strip = levels.graph.strips[point.strip]
    place = next(at for at, insert in enumerate(strip.inserts) if insert.id == point.insert)
    return entering(strip, stages, place, levels.carriers)


def _over(analysis: Analysis, point: ClipPoint, stands: Stands, severity: Severity) -> Finding:
    peak, likely, rms = figures(point.stage).loudest
    evidence = [f"likely peak {words_db(likely, plus=True)} dBFS, worst case {words_db(peak, plus=True)} dBFS"]
    alone = loudest_source(analysis.levels, point.strip, point.tap) if severity == "blocker" else None
    if alone is not None:
        evidence.append(f"{analysis.source_name(alone.strip, alone.outlet)} alone reaches {alone.likely_db:+.1f} dBFS")
    return Finding(
        code="level.over",
        **stands.fields,
        message=f"{point.what} clips: likely peak {likely:+.1f} dBFS",
        because=f"{point.what} would be {_over_db(likely or 0.0)} dB over full scale" if stands.is_assumed else "",
        strips=analysis.ids([point.strip]),
        inserts=(point.insert,) if point.insert else (),
        figures={"peak_dbfs": peak, "likely_dbfs": likely, "rms_dbfs": rms},
        evidence=tuple(evidence) + analysis.level_words(point.strip),
        remedies=() if stands.is_assumed else softer(analysis, point.strip, likely or 0.0, point.insert),
    )


def _over_db(level_db: float) -> str:
    return f"{level_db:.1f}" if level_db >= SHOWN_DB else f"less than {SHOWN_DB:g}"


def _worst_case_only(analysis: Analysis, clipping: list[ClipPoint], stands: Stands) -> Finding:
    worst = max(clipping, key=lambda point: figures(point.stage).loudest[0] or 0.0)
    peak = figures(worst.stage).loudest[0]
    lines = [f"{point.what} up to {figures(point.stage).loudest[0]:+.1f} dBFS" for point in clipping]
    strips = list(dict.fromkeys(point.strip for point in clipping))
    names = f"{analysis.names(strips)} {'clips' if len(strips) == 1 else 'clip'}"
    return Finding(
        code="level.over",
        **stands.fields,
        message=f"{names} in the worst case: {peak:+.1f} dBFS",
        because=f"{analysis.names(strips)} may clip in the worst case" if stands.is_assumed else "",
        strips=analysis.ids(strips),
        inserts=tuple(point.insert for point in clipping if point.insert),
        figures={"peak_dbfs": peak},
        evidence=first_of(lines),
    )


@check("level.internal-over")
def internal_over(analysis: Analysis) -> Iterator[Finding]:
    """Hot inputs of inserts: nothing clips inside, but plug-ins model levels."""
    by_standing: dict[Stands, list[tuple[int, Insert, float]]] = {}
    hot_at = cache(partial(_hot_places, analysis))
    for strip_number, insert, level_db in _hot_inserts(analysis, analysis.levels):
        stands = standing(
            analysis,
            strip_number,
            "note",
            partial(_if_hot, hot_at=hot_at, at=(strip_number, insert.id)),
            likely_db=level_db - MODELLED_DB,
        )
        by_standing.setdefault(stands, []).append((strip_number, insert, level_db))
    for stands, hot in by_standing.items():
        many = f"{len(hot)} insert{'s' if len(hot) > 1 else ''}"
        yield Finding(
            code="level.internal-over",
            **stands.fields,
            message=f"{many} can exceed +6 dBFS",
            because=f"{many} would exceed +6 dBFS" if stands.is_assumed else "",
            strips=analysis.ids(list(dict.fromkeys(strip_number for strip_number, _insert, _level in hot))),
            inserts=tuple(insert.id for _strip, insert, _level in hot),
            figures={"likely_dbfs": max(level_db for _strip, _insert, level_db in hot)},
            evidence=first_of([f"{i.name or i.id} on {analysis.name(n)}: {level:+.1f} dBFS" for n, i, level in hot]),
        )


def _if_hot(levels: Levels, hot_at: Callable[[Levels], set[tuple[int, str]]], at: tuple[int, str]) -> Severity | None:
    """The finding of one insert at other levels."""
    return "note" if at in hot_at(levels) else None


def _hot_places(analysis: Analysis, levels: Levels) -> set[tuple[int, str]]:
    """The hot inserts at other levels."""
    return {(strip_number, insert.id) for strip_number, insert, _level in _hot_inserts(analysis, levels)}


def _hot_inserts(analysis: Analysis, levels: Levels) -> Iterator[tuple[int, Insert, float]]:
    """(strip, insert, likely peak at its input), of active inserts."""
    limit = 10 ** (MODELLED_DB / 10)
    louder = analysis.graph.inserts.raised | analysis.graph.reshaped
    for strip_number in range(len(analysis.graph.strips)):
        plain = levels.sources.get(strip_number)
        if plain and plain.top_q * plain.top_q <= limit:
            continue
        stages = levels.stages[strip_number]
        if not stages or (strip_number not in louder and max(stages[0].levels.q2) <= limit):
            continue  # its input is below the limit, and its chain adds no gain
        strip = analysis.graph.strips[strip_number]
        before: Stage | None = None
        hot = False
        for insert, stage in zip(strip.inserts, stages, strict=False):
            if stage is not before:
                before, hot = stage, max(stage.levels.q2) * stage.likely_gain * stage.likely_gain > limit
            if hot and insert.state == "on":
                yield strip_number, insert, likely_db(stage)


explain(
    "level.over",
    many="{n} outputs or prints clip",
    found=(
        "The level exceeds 0 dBFS at a converter or file: at an output, at the recorded stage of a print, or at "
        "an external send."
    ),
    why="Converters and fixed-point files clip. The damage is audible and permanent.",
    how=(
        "Likely peak: independent peaks added in power. Worst case: all peaks added in amplitude. Only open paths "
        "count. It is a blocker if a single source clips alone."
    ),
    fix="Lower the loudest source, or trim all inputs by the same amount.",
    decide="Only you know the gain to lower. See the steps on Levels.",
    place="levels",
)

explain(
    "level.internal-over",
    many="{n} strips can exceed +6 dBFS at inserts",
    found="The likely peak at the input of an insert is above +6 dBFS.",
    why="Floating point does not clip, but plug-ins modelled on analogue gear distort there.",
    how="The likely peak at the input of every insert is computed.",
    fix="Trim before the insert.",
)
