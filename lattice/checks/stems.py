"""Stems: every source is in its stems, no stem has excluded sources, and all stems sum to the mix."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping
from typing import Any

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, first_of
from lattice.checks.registry import check, explain
from lattice.checks.remedies import feed_step
from lattice.deliverables.split import split_plan
from lattice.deliverables.taps import StemSet, Taps
from lattice.errors import EditError
from lattice.graph.origin import Origin
from lattice.graph.signal_graph import POST, STAGE_OF_TAP
from lattice.graph.walk import first_path
from lattice.model.document import Stem
from lattice.model.edit_step import EditStep
from lattice.model.excluded_tags import KEPT_OUT_OF_STEMS, NOT_ADDED_UP
from lattice.model.names import joined, with_kind

BEYOND = POST + 1


def _tags(analysis: Analysis, origin: Origin) -> frozenset[str]:
    return frozenset(analysis.strip(origin.strip).tags)


def _many(bits: int) -> bool:
    return bits & (bits - 1) != 0


def _ids(taps: Taps, bits: int) -> tuple[str, ...]:
    return tuple(stem.id for stem in taps.named(bits))


def _names(taps: Taps, bits: int) -> str:
    return joined((stem.name for stem in taps.named(bits)), most=len(taps.stems))


def _in_order(found: list[tuple[Origin, Finding]]) -> Iterator[Finding]:
    """By the source they are about, as the document has them."""
    for _origin, finding in sorted(found, key=lambda entry: entry[0]):
        yield finding


@check("stem.missing", "stem.bypassed", "stem.twice")
def sources_of_sets(analysis: Analysis) -> Iterator[Finding]:
    """Sources in a mix and in none of its stems, sources that reach a mix without them, and sources fed to two."""
    if not analysis.template.stems:
        return
    taps, sets = analysis.taps, []
    for its in taps.sets.values():
        if not its.stems:
            continue
        stems, mixes = its.stem_bits, its.mix_bits
        for mask, origins in analysis.by_taps.items():
            past = taps.past(mask) & mixes
            missing = mask & mixes if not mask & stems else 0
            feeds = taps.feeds(mask) & stems
            if not (past or missing or _many(feeds)):
                continue
            for origin in origins:
                tags = _tags(analysis, origin)
                if missing and not NOT_ADDED_UP & tags:
                    sets.append((origin, _missing(analysis, origin, missing, its)))
                if past and not NOT_ADDED_UP & tags:
                    sets.append((origin, _bypassed(analysis, origin, past, its)))
                if _many(feeds) and "pop" not in tags:
                    sets.append((origin, _twice(analysis, origin, feeds, its)))
    yield from _in_order(sets)


def _about(analysis: Analysis, origin: Origin, code: str, message: str, stems: int, **fields: Any) -> Finding:
    """A finding about a source and some stems, the worst severity where none is given."""
    return Finding(
        code=code,
        severity=fields.pop("severity", "blocker"),
        message=f"{analysis.source_name(*origin)} {message}",
        strips=analysis.ids([origin.strip]),
        stems=_ids(analysis.taps, stems),
        outlets=analysis.outlet_id(*origin),
        **fields,
    )


def _missing(analysis: Analysis, origin: Origin, mixes: int, its: StemSet) -> Finding:
    words = f"is in {_names(analysis.taps, mixes)} but in no stem of {its.name}"
    return _about(analysis, origin, "stem.missing", words, mixes, **_past_all(analysis, origin, mixes, its))


def _bypassed(analysis: Analysis, origin: Origin, mixes: int, its: StemSet) -> Finding:
    words = f"reaches {_names(analysis.taps, mixes)} without a stem"
    return _about(analysis, origin, "stem.bypassed", words, mixes, **_past_all(analysis, origin, mixes, its))


def _past_all(analysis: Analysis, origin: Origin, mixes: int, its: StemSet) -> dict[str, Any]:
    """Evidence that a source bypasses the stems of a set, and the fixes that route it to one."""
    line, path = _way_past(analysis, origin, mixes)
    return {
        "evidence": (line, f"this path has no tap of a stem of {its.name}"),
        "path": path,
        "remedies": _refeed(analysis, origin, its),
    }


def _way_past(analysis: Analysis, origin: Origin, mixes: int) -> tuple[str, tuple[str, ...]]:
    """A path to one of the mixes that leaves no strip after a tap of a stem of its set, as words and as routes."""
    mix = analysis.taps.named(mixes)[0]
    gates: dict[int, int] = {}
    for stem in analysis.taps.stems:
        if stem.role == "stem" and stem.set == mix.set and stem.strip is not None:
            strip = analysis.graph.index[stem.strip]
            gates[strip] = min(STAGE_OF_TAP[stem.tap], gates.get(strip, POST))
    return _way(analysis, origin, mix, gates)


def _way(analysis: Analysis, origin: Origin, stem: Stem, gates: Mapping[int, int]) -> tuple[str, tuple[str, ...]]:
    """A path from a source to the tap of a stem, as words and as routes.

    `gates`: strip → the stage from which on it is not left.
    """
    graph, reach, end = analysis.graph, analysis.unblocked, analysis.graph.index[stem.strip or ""]
    if origin == Origin(end):
        return analysis.name(end), ()
    way = first_path(
        graph,
        origin,
        lambda strip: strip == end,
        lambda route: (
            reach.route_ok[route]
            and reach.entered[graph.head[route]]
            and (graph.outlet[route] >= 0 or graph.stage[route] < gates.get(graph.tail[route], BEYOND))
        ),
        lambda strip: reach.monitors[strip],
    )
    if way is None:
        raise ValueError(f"{analysis.name(origin.strip)} was marked as reaching {stem.id}, but no path was found")
    return analysis.hops(way), analysis.route_ids(way.routes)


def _refeed(analysis: Analysis, origin: Origin, its: StemSet) -> tuple[Remedy, ...]:
    """Route sources that bypass the stems to the bus of their section, if that bus reaches one of the stems."""
    graph, section = analysis.graph, analysis.sections.get(analysis.strip(origin.strip).section or "")
    if section is None or section.bus is None or not origin.is_chain or section.bus == analysis.strip(origin.strip).id:
        return ()
    bus = graph.index[section.bus]
    if not analysis.taps.own[bus] & its.stem_bits or origin.strip in analysis.downstream(bus):
        return ()
    feeds = [
        route
        for route in graph.outs[origin.strip]
        if graph.routes[route].kind == "feed"
        and analysis.taps.past(analysis.taps.fed[graph.head[route]]) & its.mix_bits
    ]
    return _lead_to(analysis, origin.strip, feeds[0], bus) if len(feeds) == 1 else ()


def _lead_to(analysis: Analysis, strip: int, feed: int, bus: int) -> tuple[Remedy, ...]:
    """Turn a feed to a bus; where the strip feeds that bus already, it is one feed too many."""
    graph = analysis.graph
    route = graph.routes[feed].id
    if analysis.may_feed(strip, bus):
        turn = EditStep("change_route", {"route": route, "changes": {"to": graph.strips[bus].id}})
        return (Remedy(f"Feed to {analysis.name(bus)}", (turn,)),)
    into_bus = [known for known in graph.outs[strip] if graph.head[known] == bus]
    remove = EditStep("remove_routes", {"routes": [route]})
    if any(map(analysis.carries, into_bus)):
        return (Remedy(f"Remove the feed to {analysis.name(graph.head[feed])}", (remove,)),)
    asleep = [graph.routes[known] for known in into_bus if not graph.routes[known].enabled]
    if not asleep:
        return ()
    enable = EditStep("change_route", {"route": asleep[0].id, "changes": {"enabled": True}})
    return (Remedy(f"Feed to {analysis.name(bus)} instead", (enable, remove)),)


def _twice(analysis: Analysis, origin: Origin, stems: int, its: StemSet) -> Finding:
    words, lines = f"feeds {stems.bit_count()} stems of {its.name}", (_names(analysis.taps, stems),)
    return _about(analysis, origin, "stem.twice", words, stems, severity="warning", evidence=lines)


@check("stem.forbidden")
def forbidden(analysis: Analysis) -> Iterator[Finding]:
    """Click, reference, guide or talkback in a stem or mix."""
    if not analysis.template.stems:
        return
    taps, by_tag = analysis.taps, analysis.graph.by_tag
    kept_out = {strip: tag for tag in reversed(KEPT_OUT_OF_STEMS) for strip in by_tag[tag]}
    wanted = sum(1 << stem_number for its in taps.sets.values() for stem_number in (*its.stems, *its.mixes))
    for origin in analysis.sources if kept_out else ():
        tag, reached = kept_out.get(origin.strip), taps.of(origin) & wanted
        if tag is None or not reached:
            continue
        line, path = _way(analysis, origin, taps.named(reached)[0], {})
        words = f"({tag}) is in {_names(taps, reached)}"
        yield _about(analysis, origin, "stem.forbidden", words, reached, evidence=(line,), path=path)


@check("stem.pop")
def pops(analysis: Analysis) -> Iterator[Finding]:
    """A sync pop that is not in every stem and mix: neither at its tap nor straight in its print."""
    number_of = analysis.graph.by_tag["pop"]
    if not number_of or not analysis.template.stems:
        return
    taps = analysis.taps
    wanted = sum(1 << stem_number for its in taps.sets.values() for stem_number in (*its.stems, *its.mixes))
    reached = _with_pop_in_print(analysis, number_of)
    for strip in number_of:
        in_service = analysis.strip(strip).in_service
        outlets = analysis.graph.outlets_of.get(strip, [])
        reached |= taps.own[strip] if in_service and analysis.unblocked.sounds[strip] else 0
        for outlet in outlets:
            reached |= taps.outlet[outlet] if analysis.unblocked.outlet_sounds(outlet) else 0
    left = wanted & ~reached
    if not left:
        return
    yield Finding(
        code="stem.pop",
        severity="warning",
        standing="wrong" if analysis.graph.leaving_strips.intersection(number_of) else "unfinished",
        message=f"{with_kind('Pop', analysis.name(number_of[0]))} is missing from {_names(taps, left)}",
        strips=analysis.ids(number_of),
        stems=_ids(taps, left),
        evidence=(f"every stem and mix needs the sync pop; {len(_ids(taps, left))} lack it",),
        remedies=_pop_into(analysis, number_of, left),
    )


def _with_pop_in_print(analysis: Analysis, pops: list[int]) -> int:
    """Bits of stems and mixes whose print a pop feeds straight."""
    graph, found = analysis.graph, 0
    for number, stem in enumerate(analysis.taps.stems):
        if stem.print is not None:
            into = graph.ins[graph.index[stem.print]]
            if any(graph.tail[route] in pops and analysis.carries(route) for route in into):
                found |= 1 << number
    return found


def _pop_into(analysis: Analysis, pops: list[int], left: int) -> tuple[Remedy, ...]:
    """Feed the pop straight into the prints that lack it: through the buses it would add up with itself in the mix.

    None where one of them has no print that takes it, or the pop does not sound.
    """
    graph = analysis.graph
    pop = next(
        (
            strip_number
            for strip_number in pops
            if analysis.unblocked.sounds[strip_number] and graph.post_open[strip_number]
        ),
        None,
    )
    prints = [stem.print for stem in analysis.taps.named(left)]
    if pop is None or None in prints:
        return ()
    wanted = dict.fromkeys(graph.index[end or ""] for end in prints)
    # Paths through one of them reach the next one too: once is enough.
    ends = [end for end in wanted if not any(o != end and end in analysis.downstream(o) for o in wanted)]
    if not all(analysis.strip(end).in_service and analysis.may_feed(pop, end) for end in ends):
        return ()
    feeds = (feed_step(analysis.strip(pop).id, analysis.strip(end).id) for end in ends)
    many = "the print without it" if len(ends) == 1 else f"the {len(ends)} prints without it"
    return (Remedy(f"Feed directly into {many}", tuple(feeds)),)


@check("stem.leak")
def leaks(analysis: Analysis) -> Iterator[Finding]:
    """Returns fed by sources of other stems, in a stem that has returns of its own sources only."""
    taps, returns = analysis.taps if analysis.template.stems else None, analysis.graph.by_kind["return"]
    if taps is None or not returns:
        return
    own_only = sum(1 << n for n, stem in enumerate(taps.stems) if stem.role == "stem" and stem.returns == "own")
    printed = [taps.behind(strip_number, 0) & own_only for strip_number in returns]
    asked = sum(1 << place for place, stems in enumerate(printed) if stems)
    foreign: dict[tuple[int, int], list[Origin]] = defaultdict(list)  # (return's place, stem) → sources
    pops = set(analysis.graph.by_tag["pop"])
    for mask, its_origins in analysis.by_taps.items() if asked else ():
        origins = [one for one in its_origins if one.strip not in pops]
        own, bits = taps.feeds(mask), mask >> (3 * taps.count) & asked
        while bits:  # the returns these sources reach, from the lowest bit on
            place = (bits & -bits).bit_length() - 1
            bits &= bits - 1
            for its in taps.sets.values():
                stems = own & its.stem_bits
                others = printed[place] & its.stem_bits & ~stems if stems else 0
                for stem in range(others.bit_length()):
                    if others >> stem & 1:
                        foreign[place, stem] += origins
    for (place, stem), origins in sorted(foreign.items()):
        if origins:
            yield _leak(analysis, returns[place], taps.stems[stem], sorted(origins))


def _leak(analysis: Analysis, strip_number: int, stem: Stem, foreign: list[Origin]) -> Finding:
    names = list(dict.fromkeys(analysis.source_name(*origin) for origin in foreign))
    return Finding(
        code="stem.leak",
        severity="warning",
        message=f"{with_kind('Return', analysis.name(strip_number))} leaks {_few(names)} into {stem.name}",
        strips=tuple(dict.fromkeys(analysis.ids([strip_number, *(strip for strip, _outlet in foreign)]))),
        stems=(stem.id,),
        outlets=tuple(one for origin in foreign for one in analysis.outlet_id(*origin)),
        evidence=first_of(names),
        remedies=_split(analysis, strip_number, stem.set),
    )


def _split(analysis: Analysis, number: int, set_name: str) -> tuple[Remedy, ...]:
    try:
        split_plan(analysis.taps, number, set_name)
    except EditError:
        return ()  # it cannot be taken apart without changing more than the return
    # Where a stem's bus has a fader or a compressor the mix changes a little; the fix shows by how much.
    step = EditStep("split_return", {"strip": analysis.strip(number).id, "set": set_name, "allow_change": True})
    return (Remedy("Add one return per stem", (step,)),)


def _few(names: list[str]) -> str:
    return joined(names, most=3)


@check("stem.nested")
def nested(analysis: Analysis) -> Iterator[Finding]:
    """Stems that are taken again in another stem of their set."""
    if not analysis.template.stems:
        return
    taps = analysis.taps
    sounding = 0
    for mask in analysis.by_taps:
        sounding |= mask
    for its in taps.sets.values():
        for stem_number in its.stems:
            stem = taps.stems[stem_number]
            if not sounding >> stem_number & 1 or stem.strip is None:
                continue
            strip, stage = analysis.graph.index[stem.strip], taps.stage[stem_number]
            alike = sum(
                1 << other
                for other in its.stems
                if other <= stem_number and taps.stems[other].strip == stem.strip and taps.stage[other] == stage
            )  # of two at one tap, the first is reported as part of the other
            outer = taps.behind(strip, stage) & its.stem_bits & ~alike
            if outer:
                yield Finding(
                    code="stem.nested",
                    severity="warning",
                    message=f"{stem.name} is also in {_names(taps, outer)}: doubled in the sum",
                    strips=tuple(dict.fromkeys([stem.strip, *(one.strip or "" for one in taps.named(outer))])),
                    stems=(stem.id, *_ids(taps, outer)),
                    evidence=(f"its tap feeds {_names(taps, outer)}",),
                )


@check("stem.composite")
def composites(analysis: Analysis) -> Iterator[Finding]:
    """Composites whose sources are not exactly those of their parts."""
    taps = analysis.taps if analysis.template.stems else None
    for stem_number, parts in (taps.parts if taps else {}).items():
        stem = analysis.taps.stems[stem_number]
        if stem.strip is None or not analysis.taps.open(stem_number):
            continue
        missing: list[Origin] = []
        foreign: list[Origin] = []
        for mask, origins in analysis.by_taps.items():
            if mask >> stem_number & 1 and not mask & parts:
                foreign += origins
            elif mask & parts and not mask >> stem_number & 1:
                missing += origins
        if missing or foreign:
            missing.sort()
            foreign.sort()
            lines = [f"missing: {analysis.source_name(*origin)}" for origin in missing]
            lines += [f"not in its parts: {analysis.source_name(*origin)}" for origin in foreign]
            strips = [analysis.graph.index[stem.strip], *(strip for strip, _outlet in (*missing, *foreign))]
            words = [f"{len(missing)} sources of its parts missing"] if missing else []
            words += [f"{len(foreign)} not in its parts"] if foreign else []
            yield Finding(
                code="stem.composite",
                severity="blocker",
                message=f"{stem.name} is not the sum of {_names(analysis.taps, parts)}: {', '.join(words)}",
                strips=tuple(dict.fromkeys(analysis.ids(strips))),
                stems=(stem.id, *_ids(analysis.taps, parts)),
                outlets=tuple(one for origin in (*missing, *foreign) for one in analysis.outlet_id(*origin)),
                evidence=first_of(lines),
            )


explain(
    "stem.missing",
    many="{n} sources are in no stem",
    found="A source is in a mix and in no stem of its set.",
    why="The stems do not sum to the mix.",
    how="The taps of each source are found over open paths. Clicks, guides, references, talkback and pops are skipped.",
    fix="Feed the source to the bus of its section.",
    decide="Only you know the stem of this source. Route it to the strip of a stem.",
    place="stems",
)

explain(
    "stem.bypassed",
    many="{n} sources bypass the stems",
    found="Some path of a source to a mix passes no tap of a stem.",
    why="The stems lack this part of the mix.",
    how="Paths to each mix without a tap of its set are searched over open routes.",
    fix="Route the bypass path through a strip with a tap.",
    decide="Only you know the stem of this path. Route it through the strip of a stem.",
    place="stems",
)

explain(
    "stem.twice",
    many="{n} sources are fed to two stems",
    found="A source reaches two stems of one set by feeds alone.",
    why="The source is doubled in the sum of the stems.",
    how="The taps reached by feeds alone are listed for each source.",
    fix="Remove the feed to the wrong stem.",
    decide="Only you know the right stem. Remove one of the two feeds.",
    place="stems",
)

explain(
    "stem.forbidden",
    many="{n} clicks or guides are in the mix",
    found="A click, reference, guide or talkback reaches a stem or mix.",
    why="It is in the delivered file.",
    how="The taps of strips with these tags are listed.",
    fix="Remove its route to the stem or mix.",
    decide="Only you know the right output for it. Route it past the stems.",
    place="stems",
)

explain(
    "stem.pop",
    many="{n} sync pops are incomplete",
    found="The sync pop does not reach every stem and mix.",
    why="The file without it cannot be aligned by its pop.",
    how="The taps and prints reached by the pop are listed.",
    fix="Feed the pop directly into the prints without it.",
    decide="Only you know the prints that need the pop. Route it on the map.",
    place="stems",
)

explain(
    "stem.leak",
    many="{n} returns leak into stems",
    found="A shared return is printed in a stem that allows only returns of its own sources.",
    why="The reverb of other stems is in this stem, and missing from their own.",
    how=(
        "The own stem of a source is the one it reaches by feeds alone. Sources of other stems in the return are "
        "listed."
    ),
    fix="Add one return per stem.",
    decide="Only you know whether the stems may share this return. Split it, or deliver it as a stem.",
    place="stems",
)

explain(
    "stem.nested",
    many="{n} stems are inside other stems",
    found="A path passes the taps of two stems of one set.",
    why="This part is doubled in the sum of the stems.",
    how="The taps after each tap are listed over open paths.",
    fix="Remove the route between the two, or make the outer stem a composite.",
    decide="Only you know whether one stem is meant to be in the other. Reroute one of them.",
    place="stems",
)

explain(
    "stem.composite",
    many="{n} composites differ from the sum of their parts",
    found="The sources of a composite are not exactly the sources of its parts.",
    why="A composite, for example music and effects, lacks a source or has one too many.",
    how="The two sets of sources are compared.",
    fix="Add the missing sources and remove the extra ones.",
    decide="Only you know the parts of the composite. Choose its stems on Stems.",
    place="stems",
)
