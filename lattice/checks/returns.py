"""Effect returns that let dry sound through."""

from __future__ import annotations

import math
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.gain_staging.matrix import sparse_sum
from lattice.gain_staging.shares import bounds_to
from lattice.gain_staging.source_response import size
from lattice.model.document import Strip
from lattice.model.edit_step import EditStep
from lattice.model.insert_types import SIGNS, TRAITS
from lattice.model.names import with_kind


@check("route.dry-return")
def dry_returns(analysis: Analysis) -> Iterator[Finding]:
    """Returns with an active effect that is not fully wet: the dry part doubles the direct sound."""
    for strip_number in analysis.graph.by_kind["return"]:
        strip = analysis.strip(strip_number)
        dry = [i for i in strip.inserts if i.traits.decorrelates and i.state == "on" and i.wet < 1]
        if dry:
            wet = tuple(EditStep("change_insert", {"insert": insert.id, "changes": {"wet": 1.0}}) for insert in dry)
            yield Finding(
                code="route.dry-return",
                severity="warning",
                message=f"{with_kind('Return', strip.name)} passes {100 * (1 - dry[0].wet):.0f} % dry signal",
                strips=(strip.id,),
                inserts=tuple(insert.id for insert in dry),
                figures={"rise_db": rise_db(analysis, strip_number)},
                evidence=(", ".join(f"{insert.name or insert.id}: {100 * insert.wet:.0f} % wet" for insert in dry),),
                remedies=(Remedy("Set to fully wet", wet),),
            )


@check("route.return-bare")
def bare_returns(analysis: Analysis) -> Iterator[Finding]:
    """Fed returns without an effect that is on: they pass dry sound."""
    for strip_number in analysis.graph.by_kind["return"]:
        strip = analysis.strip(strip_number)
        if not analysis.graph.ins[strip_number]:
            continue
        if not strip.inserts:
            yield _without_effect(strip)
            continue
        effects = [insert for insert in strip.inserts if insert.traits.is_effect]
        if any(insert.state == "on" for insert in effects):
            continue
        # Dynamics and saturation beside the dry sound are meant so: parallel compression (common practice).
        working = [insert for insert in strip.inserts if insert.state == "on" and insert.traits.bends]
        name = with_kind("Return", strip.name)
        wake = tuple(
            EditStep("change_insert", {"insert": insert.id, "changes": {"state": "on"}}) for insert in effects[:1]
        )
        why = f"{effects[0].name or effects[0].id} is {effects[0].state}" if effects else "it has no effect"
        worked = f"{working[0].name or working[0].type} is active" if working else ""
        yield Finding(
            code="route.return-bare",
            severity="note" if working else "warning",
            message=f"{name} has only dynamics: parallel processing" if working else f"{name} has no active effect",
            strips=(strip.id,),
            inserts=tuple(insert.id for insert in (working or effects)),
            figures={"rise_db": rise_db(analysis, strip_number)},
            evidence=(f"{worked}; {why}" if worked else why,),
            remedies=(Remedy(f"Turn on {effects[0].name or effects[0].id}", wake),)
            if wake
            else (_effect_added(strip),)
            if not working
            else (),
        )


def _without_effect(strip: Strip) -> Finding:
    """A return made before its effect."""
    return Finding(
        code="route.return-bare",
        severity="note",
        standing="unfinished",
        message=f"{with_kind('Return', strip.name)} has no effect yet",
        strips=(strip.id,),
        figures={"rise_db": None},
        evidence=("it has no insert",),
        remedies=(_effect_added(strip),),
    )


def _effect_added(strip: Strip) -> Remedy:
    """The effect that the name tells, else a reverb: only the user knows which."""
    folded = strip.name.casefold()
    kind = next((kind for sign, kind in SIGNS if sign in folded and TRAITS[kind].decorrelates), "reverb")
    step = EditStep("add_insert", {"strip": strip.id, "insert": {"name": kind.capitalize(), "type": kind}})
    return Remedy("Add an effect", (step,), asks=True)


USUAL_LOW_CUT_HZ = 250.0  # of effect returns people take 200 to 300 Hz (common practice)


@check("return.lows")
def returns_with_lows(analysis: Analysis) -> Iterator[Finding]:
    """Fed returns of a reverb or delay without a high-pass in the chain."""
    graph = analysis.graph
    for strip_number in graph.by_kind["return"]:
        strip = analysis.strip(strip_number)
        working = [insert for insert in strip.inserts if insert.state == "on"]
        effects = [insert for insert in working if insert.traits.has_tail]
        if not effects or not graph.ins[strip_number] or any(insert.low_cut_hz for insert in working):
            continue
        step = EditStep("change_insert", {"insert": effects[0].id, "changes": {"low_cut_hz": USUAL_LOW_CUT_HZ}})
        yield Finding(
            code="return.lows",
            severity="note",
            message=f"{with_kind('Return', strip.name)} has no low cut ({effects[0].type})",
            strips=(strip.id,),
            inserts=(effects[0].id,),
            evidence=("usual low cut of a return: 200 to 300 Hz",),
            remedies=(Remedy(f"Set a low cut of {USUAL_LOW_CUT_HZ:g} Hz", (step,)),),
        )


def rise_db(analysis: Analysis, strip_number: int) -> float | None:
    """The rise of the direct sound by the dry part of a return, for the source with the largest.

    20·log10 of |direct + dry| / |direct| at the strips the return feeds, norms over channels; None where no source
    arrives there without the return.
    """
    heads = {analysis.graph.head[route] for route in analysis.graph.outs[strip_number] if analysis.levels.goes(route)}
    worst: float | None = None
    for origin in sorted(bounds_to(analysis.levels, strip_number).keys() & analysis.playing):
        response = analysis.response(origin)
        for head in heads & response.at_in.keys():
            turned = -1.0 if analysis.strip(head).invert else 1.0
            dry = [
                response.brought[r].c
                for r in analysis.graph.ins[head]
                if r in response.brought and analysis.graph.tail[r] == strip_number
            ]
            whole = direct = response.at_in[head].c
            for part in dry:
                direct = sparse_sum(direct, part, -turned)
            levels = size(whole), size(direct)
            if dry and levels[1] > 1e-9 and levels[0] > 0:
                rise = 20 * math.log10(levels[0] / levels[1])
                worst = rise if worst is None else max(worst, rise)
    return worst


explain(
    "route.dry-return",
    many="{n} returns pass dry signal",
    found="A return with a reverb, delay or modulation passes dry signal.",
    why="The dry part doubles the direct signal: louder, and combed by the latency of the effect.",
    how="The wet setting of each such insert is checked. The rise is computed for the most affected source.",
    fix="Set the effect to fully wet, and set the level with the fader of the return.",
    decide="Only you know the mix of the effect. Set it to fully wet, or waive the finding.",
    place="map",
)

explain(
    "route.return-bare",
    many="{n} returns have no active effect",
    found="A return receives signal and has no active effect.",
    why="It adds the dry signal a second time.",
    how="The types of all active inserts are checked. Dynamics alone count as parallel processing and give a note.",
    fix="Turn on the effect, or remove the return.",
    decide="Only you know the effect of the return. Add one, or remove the return.",
    place="map",
)

explain(
    "return.lows",
    many="{n} returns have no low cut",
    found="A reverb or delay return receives signal, and no active insert of it has a low cut.",
    why="Low frequencies build up in the tails. The mix gets muddy and the limiter works harder.",
    how=(
        "The chain is searched for a `low_cut_hz`. If the return is filtered in a different way, enter the low "
        "cut there."
    ),
    fix="Cut low frequencies at 200 to 300 Hz (common practice).",
)
