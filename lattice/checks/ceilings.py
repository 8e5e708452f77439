"""Between the last sum and a converter or a mix print: a ceiling, with no gain after it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

from lattice.analysis import Analysis
from lattice.checks.assumed import standing
from lattice.checks.finding import Finding, Remedy, Severity
from lattice.checks.headroom import mix_headroom_db
from lattice.checks.registry import check, explain
from lattice.checks.softer import from_last_sum
from lattice.gain_staging.chain import Stage, figures, likely_db
from lattice.gain_staging.levels import Levels
from lattice.graph.signal_graph import IN, POST, PRE, STAGE_OF_TAP
from lattice.model.document import Insert, Stem, Strip
from lattice.model.edit_step import EditStep
from lattice.model.units import words_db

# Headphones are no delivery and need no limiter (common practice).
CUE_WORDS = ("headphone", "phones", "cue", "foldback")
End = tuple[int, str]  # an output or print; or the strip of a stem without a print, and the stem


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
    def end(self) -> End:
        """The output or print that it ends at."""
        return self.strips[-1], ""

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
            strips = from_last_sum(analysis, strip_number)
            if not _is_cue(analysis, strip, strips):
                yield _finish(analysis, strips, POST, stage, profile.true_peak_dbtp)
    for stem in analysis.template.stems:
        printed = analysis.graph.index.get(stem.print or "", -1)
        recorded = analysis.levels.at_end(printed) if printed >= 0 else None
        if stem.role == "mix" and recorded is not None and not _has_room(analysis, stem):
            tap = IN if analysis.strip(printed).records == "in" else PRE
            strips = from_last_sum(analysis, printed)
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
    """A mix that can exceed its true-peak limit without a limiter; a note until a mix is declared."""
    failing = list(_failing(analysis))
    declared = any(stem.role == "mix" and stem.strip for stem in analysis.template.stems)
    ends = {finish.end for finish in failing}
    for finish in failing:
        likely = likely_db(finish.stage)
        names = [analysis.name(strip) for strip in finish.about]
        peak, _likely, rms = figures(finish.stage).loudest
        severity: Severity = "warning" if declared else "note"
        stands = standing(
            analysis,
            finish.strips[-1],
            severity,
            partial(_judged, finish=finish, severity=severity),
            likely_db=likely - finish.true_peak_dbtp,
        )
        reaches = f"{' into '.join(names)} {{}} reach {words_db(likely, plus=True)} dBFS"
        yield Finding(
            code="level.ceiling",
            **stands.fields,
            message=f"{reaches.format('can')}; no limiter holds {words_db(finish.true_peak_dbtp)} dBTP",
            because=reaches.format("could") if stands.is_assumed else "",
            strips=analysis.ids(finish.about),
            stems=(finish.stem,) if finish.stem else (),
            figures={"likely_dbfs": likely, "peak_dbfs": peak, "rms_dbfs": rms},
            evidence=(
                f"after the last sum: {' → '.join(analysis.name(strip) for strip in finish.strips)}",
                *analysis.level_words(finish.strips[-1]),
                "a sample-peak ceiling does not limit true peaks between samples; leave 1 dB below the limit",
            ),
            remedies=() if stands.is_assumed else tuple(_ceilings(analysis, finish, ends)),
        )


def _failing(analysis: Analysis) -> Iterator[Finish]:
    for finish in finishes(analysis):
        if likely_db(finish.stage) > finish.true_peak_dbtp + 1e-9 and not any(
            _holds(insert, finish) for _strip, insert in finish.inserts
        ):
            yield finish


def _judged(levels: Levels, finish: Finish, severity: Severity) -> Severity | None:
    """The finding of the end of a mix at other levels."""
    stage = levels.at_end(finish.strips[-1])
    return severity if stage is not None and likely_db(stage) > finish.true_peak_dbtp + 1e-9 else None


def _ceilings(analysis: Analysis, finish: Finish, failing: set[End]) -> Iterator[Remedy]:
    """A ceiling where only failing deliverables lie behind it: the last limiter on the way, else a new one at the end.

    Places are tried from the end of the way back to the last sum.
    """
    places = [strip for strip in reversed(finish.worked) if _ends_behind(analysis, strip) <= failing]
    limit_db = finish.true_peak_dbtp
    for strip in places:
        for insert in reversed(analysis.strip(strip).inserts):
            if insert.traits.ceiling == "hard" and insert.key != "external" and insert.wet == 1:
                yield _lowered(analysis, strip, insert, limit_db)
                return
    if places:
        last = analysis.strip(places[0])
        limiter = {"name": "Ceiling", "type": "limiter", "ceiling_db": limit_db}
        step = EditStep("add_insert", {"strip": last.id, "insert": limiter})
        yield Remedy(f"Add a {words_db(limit_db)} dB limiter to {last.name}", (step,))


def _lowered(analysis: Analysis, strip: int, insert: Insert, limit_db: float) -> Remedy:
    """“Lower Limiter on Limited mix from −0.3 to −1.0 dB”; one that is off is turned on first."""
    changes: dict[str, object] = {} if insert.state == "on" else {"state": "on"}
    name, was = f"{insert.title} on {analysis.name(strip)}", insert.ceiling_db
    words = [f"Turn on {name}"] if changes else []
    if was is None or was > limit_db:
        changes["ceiling_db"] = limit_db
        to = f"to {words_db(limit_db)} dB"
        lower = f"Lower {name} {f'from {words_db(was)} ' if was is not None else ''}{to}"
        words = [f"{words[0]} and lower it {to}"] if words else [lower]
    return Remedy(words[0], (EditStep("change_insert", {"insert": insert.id, "changes": changes}),))


def _ends_behind(analysis: Analysis, strip: int) -> set[End]:
    """The outputs, prints and stem taps that a ceiling at the end of a strip's chain is in."""
    graph, template = analysis.graph, analysis.template
    behind = {graph.head[r] for r in graph.outs[strip] if graph.stage[r] != IN and analysis.levels.goes(r)}
    reached = set().union(*(analysis.downstream(head) for head in behind))
    found: set[End] = set()
    for at in (*reached, strip):
        kind = graph.strips[at].kind
        if (kind == "output" and at not in graph.tied_out) or (
            kind == "print" and (at != strip or graph.strips[at].records == "pre")
        ):
            found.add((at, ""))
        for number in graph.stems_at.get(at, ()):
            stem = template.stems[number]
            if at != strip or stem.tap != "pre-insert":
                found.add((graph.index[stem.print], "") if stem.print else (at, stem.id))
    return found


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
    decide="Every place before this end feeds other deliverables too. Add a limiter where you want it.",
    place="levels",
)

explain(
    "level.limiter-order",
    many="{n} limiters are not last",
    found="An insert after the limiter can raise the level.",
    why="The limit is not guaranteed.",
    how="Active inserts after the last limiter are checked by type and gain.",
    fix="Move the limiter to the end of the chain.",
    decide="Only you know whether the order is intended. Move the limiter to the end of its chain.",
    place="map",
)
