"""Between the last sum and a converter or a mix print: a ceiling, with no gain after it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.headroom import mix_headroom_db
from lattice.checks.registry import check, explain
from lattice.gain_staging.chain import Stage, figures, likely_db
from lattice.graph.signal_graph import IN, POST, PRE, STAGE_OF_TAP
from lattice.model.document import Insert, Stem, Strip
from lattice.model.edit_step import EditStep
from lattice.model.units import words_db

# Headphones are no delivery and need no limiter (common practice).
CUE_WORDS = ("headphone", "phones", "cue", "foldback")


@dataclass(frozen=True)
class Finish:
    """The end of a mix: the strips from the last sum to where it is sent or recorded, and their inserts in order."""

    strips: tuple[int, ...]  # from the sum on
    worked: tuple[int, ...]  # those whose chains it passes
    inserts: tuple[tuple[int, Insert], ...]
    stage: Stage
    true_peak_dbtp: float
    stem: str | None = None

    @property
    def about(self) -> tuple[int, ...]:
        """A print alone; an output after the strip that feeds it."""
        return self.strips[-1:] if self.stem else self.strips[-2:]


def finishes(analysis: Analysis) -> Iterator[Finish]:
    """Of every output except headphones and cues, and of the print of every mix below its headroom."""
    profile = analysis.template.profile
    for strip_number in analysis.graph.by_kind["output"]:
        strip, stage = analysis.strip(strip_number), analysis.levels.post[strip_number]
        if strip_number not in analysis.graph.tied_out and stage is not None:
            strips = _from_last_sum(analysis, strip_number)
            if not _is_cue(analysis, strip, strips):
                yield _finish(analysis, strips, POST, stage, profile.true_peak_dbtp)
    for stem in analysis.template.stems:
        printed = analysis.graph.index.get(stem.print or "", -1)
        recorded = analysis.levels.at_end(printed) if printed >= 0 else None
        if stem.role == "mix" and recorded is not None and not _has_room(analysis, stem):
            tap = IN if analysis.strip(printed).records == "in" else PRE
            strips = _from_last_sum(analysis, printed)
            peak = profile.true_peak_dbtp if stem.true_peak_dbtp is None else stem.true_peak_dbtp
            yield _finish(analysis, strips, tap, recorded, peak, stem.id)


def _finish(
    analysis: Analysis, strips: list[int], tap: int, stage: Stage, true_peak_dbtp: float, stem: str | None = None
) -> Finish:
    worked = tuple(_worked_by(analysis, strips, tap))
    inserts = tuple((n, insert) for n in worked for insert in analysis.strip(n).inserts if insert.state == "on")
    return Finish(tuple(strips), worked, inserts, stage, true_peak_dbtp, stem)


def _has_room(analysis: Analysis, stem: Stem) -> bool:
    if stem.strip is None:
        return False
    stage = analysis.levels.at(analysis.graph.index[stem.strip], STAGE_OF_TAP[stem.tap])
    return stage is None or -likely_db(stage) >= mix_headroom_db(analysis, stem)


def _from_last_sum(analysis: Analysis, number: int) -> list[int]:
    """Strips from the last one with two or more audible routes, up to `number`."""
    found, levels = [number], analysis.levels
    while True:
        into = [r for r in analysis.graph.ins[found[0]] if levels.goes(r) and levels.at_route(r) is not None]
        if len(into) != 1 or analysis.graph.outlet[into[0]] >= 0 or analysis.graph.tail[into[0]] in found:
            return found
        found.insert(0, analysis.graph.tail[into[0]])


def _worked_by(analysis: Analysis, strips: list[int], last: int) -> Iterator[int]:
    """Strips whose chains the sound passes to a tap of the last one."""
    for at, strip in enumerate(strips):
        tap = last
        if at + 1 < len(strips):
            route = next(
                r
                for r in analysis.graph.ins[strips[at + 1]]
                if analysis.graph.tail[r] == strip and analysis.levels.goes(r)
            )
            tap = analysis.graph.stage[route]
        if tap != IN:
            yield strip


def _is_cue(analysis: Analysis, output: Strip, strips: list[int]) -> bool:
    """Named so, or fed by sends that leave before the fader."""
    if any(word in output.name.lower() for word in CUE_WORDS):
        return True
    routes = [analysis.graph.routes[r] for strip in strips for r in analysis.graph.ins[strip]]
    return any(route.kind == "send" and route.tap != "post-fader" for route in routes)


@check("level.ceiling")
def ceiling(analysis: Analysis) -> Iterator[Finding]:
    """A mix that can exceed its true-peak limit without a limiter."""
    for finish in finishes(analysis):
        likely = likely_db(finish.stage)
        if likely <= finish.true_peak_dbtp + 1e-9 or any(_holds(i, finish) for _strip, i in finish.inserts):
            continue
        names = [analysis.name(strip) for strip in finish.about]
        peak, _likely, rms = figures(finish.stage).loudest
        yield Finding(
            code="level.ceiling",
            severity="warning",
            message=f"{' into '.join(names)} can reach {words_db(likely, plus=True)} dBFS; no limiter holds "
            f"{words_db(finish.true_peak_dbtp)} dBTP",
            strips=analysis.ids(finish.about),
            stems=(finish.stem,) if finish.stem else (),
            figures={"likely_dbfs": likely, "peak_dbfs": peak, "rms_dbfs": rms},
            evidence=(
                f"after the last sum: {' → '.join(analysis.name(strip) for strip in finish.strips)}",
                *analysis.level_words(finish.strips[-1]),
                "a sample-peak ceiling does not limit true peaks between samples; leave 1 dB below the limit",
            ),
            remedies=_ceiling_behind(analysis, finish),
        )


def _ceiling_behind(analysis: Analysis, finish: Finish) -> tuple[Remedy, ...]:
    """A limiter at the end of the chain of the last sum, or of the first strip behind it whose chain is passed."""
    if not finish.worked:
        return ()
    strip = analysis.strip(finish.worked[0])
    limiter = {"name": "Ceiling", "type": "limiter", "ceiling_db": finish.true_peak_dbtp}
    step = EditStep("add_insert", {"strip": strip.id, "insert": limiter})
    return (Remedy(f"Add a {words_db(finish.true_peak_dbtp)} dB limiter to {strip.name}", (step,)),)


def _holds(insert: Insert, finish: Finish) -> bool:
    return (
        insert.traits.ceiling == "hard"
        and insert.ceiling_db is not None
        and insert.ceiling_db <= finish.true_peak_dbtp
        and insert.wet == 1
        and insert.key != "external"
    )


@check("level.limiter-order")
def limiter_order(analysis: Analysis) -> Iterator[Finding]:
    """Something behind the last limiter that makes it louder again."""
    said = set()
    for finish in finishes(analysis):
        last = max((at for at, (_s, insert) in enumerate(finish.inserts) if insert.traits.is_limiter), default=None)
        if last is None:
            continue
        strip, limiter = finish.inserts[last]
        for where, insert in finish.inserts[last + 1 :]:
            if (insert.gain_db > 0 or insert.traits.raises_peaks) and (limiter.id, insert.id) not in said:
                said.add((limiter.id, insert.id))
                names = insert.name or insert.id, limiter.name or limiter.id
                yield Finding(
                    code="level.limiter-order",
                    severity="warning",
                    message=f"{names[0]} follows the limiter {names[1]} on {analysis.name(where)}",
                    strips=analysis.ids(list(dict.fromkeys([where, strip]))),
                    inserts=(limiter.id, insert.id),
                    evidence=("no limiter after it",),
                )


explain(
    "level.ceiling",
    many="{n} outputs or prints can exceed their true-peak limit",
    found="A signal to an output or a mix print can exceed its true-peak limit. No limiter follows the last sum.",
    why="The delivery is rejected for its true peak.",
    how=(
        "Chains after the last sum are searched for a limiter or clipper with a sufficient ceiling (−1 dBTP: EBU R "
        "128; −2 dBTP: ATSC A/85)."
    ),
    fix="Add a limiter after the last sum, or lower the ceiling of the existing one.",
)

explain(
    "level.limiter-order",
    many="{n} limiters are not last",
    found="An insert after the limiter can raise the level.",
    why="The limit is not guaranteed.",
    how="Active inserts after the last limiter are checked by type and gain.",
    fix="Move the limiter to the end of the chain.",
)
