"""Levels that clip: at converters and files, and inside plug-ins that model levels."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, first_of
from lattice.checks.registry import check, explain
from lattice.gain_staging.chain import Stage, entering, figures, level_of, likely_db
from lattice.gain_staging.shares import loudest_source
from lattice.model.insert_types import EXTERNAL
from lattice.model.units import words_db

FULL_SCALE_DB = 1e-9  # dBFS; above it by more than rounding
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
    notes: list[ClipPoint] = []
    for point in points(analysis):
        sound, peak_gain = point.stage[:2]
        if max(sound.p) * peak_gain <= 1.0 or level_of([p * p for p in sound.p], peak_gain) <= FULL_SCALE_DB:
            continue
        if likely_db(point.stage) > FULL_SCALE_DB:
            yield _over(analysis, point)
        else:
            notes.append(point)
    if notes:
        yield _worst_case_only(analysis, notes)


def points(analysis: Analysis) -> Iterator[ClipPoint]:
    """Outputs at `post`, prints where they record, external inserts at their input; those that sound."""
    graph, levels = analysis.graph, analysis.levels
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


def _over(analysis: Analysis, point: ClipPoint) -> Finding:
    peak, likely, rms = figures(point.stage).loudest
    alone = loudest_source(analysis.levels, point.strip, point.tap)
    by_one = alone is not None and alone.likely_db > FULL_SCALE_DB
    evidence = [f"likely peak {words_db(likely, plus=True)} dBFS, worst case {words_db(peak, plus=True)} dBFS"]
    if alone is not None and by_one:
        evidence.append(f"{analysis.source_name(alone.strip, alone.outlet)} alone reaches {alone.likely_db:+.1f} dBFS")
    return Finding(
        code="level.over",
        severity="blocker" if by_one else "warning",
        message=f"{point.what} clips: likely peak {likely:+.1f} dBFS",
        strips=analysis.ids([point.strip]),
        inserts=(point.insert,) if point.insert else (),
        figures={"peak_dbfs": peak, "likely_dbfs": likely, "rms_dbfs": rms},
        evidence=tuple(evidence) + analysis.level_words(point.strip),
    )


def _worst_case_only(analysis: Analysis, clipping: list[ClipPoint]) -> Finding:
    worst = max(clipping, key=lambda point: figures(point.stage).loudest[0] or 0.0)
    peak = figures(worst.stage).loudest[0]
    lines = [f"{point.what} up to {figures(point.stage).loudest[0]:+.1f} dBFS" for point in clipping]
    strips = list(dict.fromkeys(point.strip for point in clipping))
    return Finding(
        code="level.over",
        severity="note",
        message=f"{analysis.names(strips)} clip{'s' if len(strips) == 1 else ''} in the worst case: {peak:+.1f} dBFS",
        strips=analysis.ids(strips),
        inserts=tuple(point.insert for point in clipping if point.insert),
        figures={"peak_dbfs": peak},
        evidence=first_of(lines),
    )


@check("level.internal-over")
def internal_over(analysis: Analysis) -> Iterator[Finding]:
    """Hot inputs of inserts: nothing clips inside, but plug-ins model levels."""
    strips, inserts, lines, worst = [], [], [], -1e9
    limit = 10 ** (MODELLED_DB / 10)
    louder = analysis.graph.inserts.raised | analysis.graph.reshaped
    for strip_number in range(len(analysis.graph.strips)):
        plain = analysis.levels.sources.get(strip_number)
        if plain and plain.top_q * plain.top_q <= limit:
            continue
        stages = analysis.levels.stages[strip_number]
        if not stages or (strip_number not in louder and max(stages[0].levels.q2) <= limit):
            continue  # its input is below the limit, and its chain adds no gain
        strip = analysis.graph.strips[strip_number]
        before: Stage | None = None
        hot = False
        for insert, stage in zip(strip.inserts, stages, strict=False):
            if stage is not before:
                before, hot = stage, max(stage.levels.q2) * stage.likely_gain * stage.likely_gain > limit
            if hot and insert.state == "on":
                level_db = likely_db(stage)
                worst = max(worst, level_db)
                strips.append(strip_number)
                inserts.append(insert.id)
                lines.append(f"{insert.name or insert.id} on {strip.name}: {level_db:+.1f} dBFS")
    if strips:
        strips = list(dict.fromkeys(strips))
        yield Finding(
            code="level.internal-over",
            severity="note",
            message=f"{len(inserts)} insert{'s' if len(inserts) > 1 else ''} can exceed +6 dBFS",
            strips=analysis.ids(strips),
            inserts=tuple(inserts),
            figures={"likely_dbfs": worst},
            evidence=first_of(lines),
        )


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
)

explain(
    "level.internal-over",
    many="{n} strips can exceed +6 dBFS at inserts",
    found="The likely peak at the input of an insert is above +6 dBFS.",
    why="Floating point does not clip, but plug-ins modelled on analogue gear distort there.",
    how="The likely peak at the input of every insert is computed.",
    fix="Trim before the insert.",
)
