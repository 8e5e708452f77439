"""Effects of dynamics on stems: keys from outside the stem, or common dynamics after their taps."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.assumed import AS_NOTE
from lattice.checks.finding import Finding, first_of
from lattice.checks.registry import check, explain
from lattice.deliverables.taps import StemSet
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import IN, PRE


@check("stem.outside-key")
def outside_keys(analysis: Analysis) -> Iterator[Finding]:
    """Stems ducked by a key whose sources are not in them."""
    if not analysis.template.stems or not analysis.graph.keys:
        return
    taps = analysis.taps
    works = _working(analysis)
    for stem_number, stem in enumerate(taps.stems):
        bits = 1 << stem_number if stem.role == "stem" else taps.parts.get(stem_number, 0)
        if stem.role == "mix" or not bits:
            continue
        reached = bits | (1 << stem_number if stem.strip is not None else 0)
        strips: list[int] = []
        inserts: list[str] = []
        outside: list[Origin] = []
        for strip, insert, behind, sources in works:
            foreign = [origin for origin in sources if not taps.of(origin) & reached]
            if behind & reached and foreign:
                strips.append(strip)
                inserts.append(insert)
                outside += foreign
        if strips:
            names = list(dict.fromkeys(analysis.source_name(*origin) for origin in sorted(set(outside))))
            yield Finding(
                code="stem.outside-key",
                severity="warning" if stem.role == "composite" else "note",
                message=f"{stem.name} is ducked by {', '.join(names[:3])} from outside the stem",
                strips=analysis.ids(
                    list(dict.fromkeys([*strips, *(strip for strip, _outlet in sorted(set(outside)))]))
                ),
                inserts=tuple(inserts),
                stems=(stem.id,),
                cause=(inserts[0], *analysis.ids([min(outside).strip])),
                evidence=first_of([f"{analysis.name(strip)} is keyed by {', '.join(names)}" for strip in strips]),
            )


def _working(analysis: Analysis) -> list[tuple[int, str, int, list[Origin]]]:
    """(strip, insert, stems behind it, sources of its keys) of every insert that is keyed from outside and on."""
    taps, working = analysis.taps, []
    keying = _keying(analysis)
    for place, (strip, insert_id) in enumerate(taps.keys):
        insert = next(candidate for candidate in analysis.strip(strip).inserts if candidate.id == insert_id)
        if insert.state != "on" or insert.key != "external" or not analysis.sounds.arrives[strip]:
            continue
        if keying[place]:
            working.append((strip, insert_id, taps.behind(strip, PRE), sorted(keying[place])))
    return working


def _keying(analysis: Analysis) -> dict[int, list[Origin]]:
    """Sources that reach the keys of an insert, by its position among keyed inserts."""
    taps = analysis.taps
    shift = taps.key_bit(0).bit_length() - 1
    keying: dict[int, list[Origin]] = defaultdict(list)
    for mask, origins in analysis.by_taps.items():
        bits = mask >> shift  # keys have the highest bits of all
        while bits:
            keying[(bits & -bits).bit_length() - 1] += origins
            bits &= bits - 1
    return keying


@check("stem.bent")
def post_tap_dynamics(analysis: Analysis) -> Iterator[Finding]:
    """Dynamics between the taps of the stems and the mix: the stems equal only the signal before them."""
    if not analysis.template.stems:
        return
    for its in analysis.taps.sets.values():
        if not its.stems or not its.mixes:
            continue
        behind_taps = _behind_taps(analysis, its)
        for mix in its.mixes:
            yield from _bent(analysis, its, mix, behind_taps)


def _behind_taps(analysis: Analysis, its: StemSet) -> set[int]:
    """Strips whose chains carry sound that has passed a tap of the set."""
    taps, behind, waiting = analysis.taps, set(), []
    for stem_number in its.stems:
        strip = taps.stems[stem_number].strip
        if strip is None or not taps.open(stem_number):
            continue
        at = analysis.graph.index[strip]
        if taps.stage[stem_number] == IN and analysis.sounds.arrives[at]:
            behind.add(at)
        waiting += taps.onward(at, taps.stage[stem_number])
    seen: set[int] = set()
    while waiting:
        at = waiting.pop()
        if at not in seen:
            seen.add(at)
            if analysis.unblocked.monitors[at]:
                waiting += taps.onward(at, IN)
    # a strip's own source has passed no tap: it needs an input
    return behind | {at for at in seen if analysis.sounds.fed[at] and analysis.unblocked.enters(at)}


def _bent(analysis: Analysis, its: StemSet, mix: int, behind_taps: set[int]) -> Iterator[Finding]:
    taps, stem = analysis.taps, analysis.taps.stems[mix]
    strips, inserts, lines = [], [], []
    for strip in sorted(behind_taps):
        working = [insert for insert in analysis.strip(strip).inserts if insert.state == "on" and insert.traits.bends]
        if working and taps.behind(strip, PRE) >> mix & 1:
            strips.append(strip)
            inserts += [insert.id for insert in working]
            lines += [f"{insert.title} on {analysis.name(strip)}" for insert in working]
    if strips:
        yield Finding(
            code="stem.bent",
            severity="note",
            message=f"{its.name} stems do not sum to {stem.name}: {lines[0]} is after the taps",
            strips=analysis.ids(strips),
            inserts=tuple(inserts),
            stems=(stem.id,),
            cause=(inserts[0],),
            evidence=first_of(lines),
        )


@check("mix.limiter-early")
def early_limiters(analysis: Analysis) -> Iterator[Finding]:
    """Limiters on a mix whose sources are still at the level that is assumed of them."""
    graph = analysis.graph
    for stem in analysis.template.stems:
        if stem.role != "mix" or stem.strip is None:
            continue
        strip = analysis.strip(graph.index[stem.strip])
        limiters = [insert for insert in strip.inserts if insert.traits.is_limiter and insert.state == "on"]
        assumed, all_sources = analysis.assumed_into(graph.index[stem.strip]) if limiters else ([], 0)
        if not assumed:
            continue
        yield Finding(
            code="mix.limiter-early",
            **AS_NOTE.fields,
            because=f"{limiters[0].name or limiters[0].type} on {strip.name} would work on the right levels",
            message=f"{limiters[0].name or limiters[0].type} on {strip.name} runs on assumed levels "
            f"({len(assumed)} of {all_sources} sources)",
            strips=(strip.id,),
            inserts=tuple(insert.id for insert in limiters),
            stems=(stem.id,),
            figures={"assumed": len(assumed), "sources": all_sources},
            evidence=(f"{len(assumed)} of {all_sources} sources have no stated level", *first_of(assumed)),
        )


explain(
    "mix.limiter-early",
    many="{n} limiters run on assumed levels",
    found="A limiter is on a mix while some of its sources have no stated level.",
    why="The limiter hides unknown levels, and the mix is set against a guess.",
    how="The sources of the mix are counted. A source without a stated level is assumed at −6 dBFS peak.",
    fix="Enter the levels of the sources, or bypass the limiter until they are known (common practice).",
)

explain(
    "stem.outside-key",
    many="{n} stems are ducked by other stems",
    found="A stem is ducked by a key whose sources are not in the stem.",
    why="The stem alone has gaps without an audible reason.",
    how="The sources of every active key are compared with the sources of each stem.",
    fix="Print without the ducking, or note it in the delivery.",
    decide="Only you know whether the composite may keep the ducking. Waive it, or print without it.",
    place="stems",
)

explain(
    "stem.bent",
    many="{n} mixes have dynamics after their stem taps",
    found="Dynamics or saturation on the mix follow the taps of the stems.",
    why="The stems sum to the mix only before this insert.",
    how="Active inserts after the taps are checked by type.",
    fix="Note it in the delivery, or print the stems through the insert.",
)
