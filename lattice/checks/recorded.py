"""Prints: taken before their inserts, beside the bus they belong to, or named by no deliverable."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy, first_of
from lattice.checks.registry import check, explain
from lattice.checks.remedies import feed_step
from lattice.graph.signal_graph import STAGE_OF_TAP
from lattice.model.edit_step import EditStep
from lattice.model.name_words import is_mix_name

Feed = tuple[int, int, str, float | None]  # strip, outlet, tap, gain


@check("print.before-inserts")
def before_inserts(analysis: Analysis) -> Iterator[Finding]:
    """Prints that record their input and have an active insert that changes the sound."""
    for number in analysis.graph.by_kind["print"]:
        strip = analysis.strip(number)
        working = [i for i in strip.inserts if i.state == "on" and (not i.traits.is_transparent or i.gain_db != 0)]
        if strip.records != "in" or not working:
            continue
        ceilings = [i for i in working if i.traits.ceiling == "hard" and i.ceiling_db is not None]
        behind = EditStep("change_strip", {"strip": strip.id, "changes": {"records": "pre"}})
        yield Finding(
            code="print.before-inserts",
            severity="warning" if ceilings else "note",
            message=f"{strip.name} records before {(ceilings or working)[0].title}",
            strips=(strip.id,),
            inserts=tuple(insert.id for insert in working),
            stems=tuple(stem.id for stem in analysis.template.stems if stem.print == strip.id),
            evidence=(", ".join(insert.title for insert in working),),
            remedies=(Remedy("Record behind the inserts", (behind,)),),
        )


def _feeds_into(analysis: Analysis, number: int) -> frozenset[Feed]:
    graph = analysis.graph
    routes = ((r, graph.routes[r]) for r in graph.ins[number] if graph.routes[r].enabled)
    return frozenset((graph.tail[r], graph.outlet[r], route.tap, route.gain_db) for r, route in routes)


@check("print.beside")
def beside_a_bus(analysis: Analysis) -> Iterator[Finding]:
    """Prints fed by the strips that feed a bus, whose chain or fader the file then lacks."""
    graph = analysis.graph
    prints = [n for n in graph.by_kind["print"] if len(graph.ins[n]) > 1]
    if not prints:
        return
    by_feeds: dict[frozenset[Feed], int] = {}
    for bus in (*graph.by_kind["bus"], *graph.by_kind["master"]):
        strip = graph.strips[bus]
        acts = any(i.state == "on" and (not i.traits.is_transparent or i.gain_db != 0) for i in strip.inserts)
        if (acts or strip.fader_db != 0) and len(graph.ins[bus]) > 1:
            by_feeds.setdefault(_feeds_into(analysis, bus), bus)
    for number in prints:
        feeds = _feeds_into(analysis, number)
        bus = by_feeds.get(feeds, -1)
        if len({strip for strip, *_rest in feeds}) > 1 and bus >= 0:
            into = list(analysis.route_ids(graph.ins[number]))
            steps = (
                EditStep("remove_routes", {"routes": into}),
                feed_step(graph.strips[bus].id, graph.strips[number].id),
            )
            may = analysis.may_feed(bus, number) and bus not in analysis.downstream(number)
            yield Finding(
                code="print.beside",
                severity="note",
                message=f"{analysis.name(number)} records the inputs of {analysis.name(bus)}, not its output",
                strips=analysis.ids([number, bus]),
                routes=tuple(into),
                evidence=("the file lacks its inserts and its fader",),
                remedies=(Remedy(f"Feed it from {analysis.name(bus)}", steps),) if may else (),
            )


@check("stem.undeclared")
def undeclared(analysis: Analysis) -> Iterator[Finding]:
    """Fed prints that no stem, mix or composite names: one finding."""
    named = {stem.print for stem in analysis.template.stems} | {stem.strip for stem in analysis.template.stems}
    found = [
        n
        for n in analysis.graph.by_kind["print"]
        if analysis.strip(n).id not in named and analysis.levels.stages[n] and analysis.strip(n).in_service
    ]
    if found:
        many = f"{len(found)} prints are" if len(found) > 1 else f"{analysis.name(found[0])} is"
        label = "Declare them as deliverables" if len(found) > 1 else "Declare it as a deliverable"
        yield Finding(
            code="stem.undeclared",
            severity="note",
            message=f"{many} in no stem or mix",
            strips=analysis.ids(found),
            evidence=first_of([f"{analysis.name(n)} records {_source_words(analysis, n)}" for n in found]),
            cause=("undeclared",),
            remedies=(Remedy(label, tuple(_declared(analysis, n) for n in found)),),
        )


def _fed_by(analysis: Analysis, number: int) -> list[int]:
    """Open routes into a print, the sync pop aside."""
    graph = analysis.graph
    return [
        r for r in graph.ins[number] if analysis.unblocked.route_ok[r] and "pop" not in graph.strips[graph.tail[r]].tags
    ]


def _source_words(analysis: Analysis, number: int) -> str:
    return analysis.names([analysis.graph.tail[route] for route in _fed_by(analysis, number)]) or "the sync pop"


def _declared(analysis: Analysis, number: int) -> EditStep:
    """A stem or mix that the print records: taken at its only source, else at the print itself."""
    graph, strip, routes = analysis.graph, analysis.strip(number), _fed_by(analysis, number)
    lone = routes[0] if len(routes) == 1 and graph.outlet[routes[0]] < 0 else None
    source = graph.tail[lone] if lone is not None else number
    is_mix = graph.strips[source].kind == "master" or is_mix_name(strip.name)
    tap = graph.routes[lone].tap if lone is not None else ("pre-fader" if strip.records == "pre" else "pre-insert")
    layout = graph.strips[source].layout if STAGE_OF_TAP[tap] == 0 else graph.chain_layout[source]
    fields = {"strip": graph.strips[source].id, "tap": tap, "print": strip.id, "layout": layout}
    return EditStep("add_stem", {"stem": {"name": strip.name, "role": "mix" if is_mix else "stem", **fields}})


@check("pop.alone")
def pop_alone(analysis: Analysis) -> Iterator[Finding]:
    """Without stems: a sync pop that reaches an output and not every fed print."""
    tagged = set(analysis.graph.by_tag["pop"])
    if not tagged or analysis.template.stems:
        return
    pops = [origin for origin in analysis.sources if origin.strip in tagged]
    graph = analysis.graph
    outputs = [n for n in graph.by_kind["output"] if n not in graph.tied_out]
    leads = analysis.unblocked.to_strips(outputs)
    fed = [n for n in graph.by_kind["print"] if analysis.sounds.arrives[n] and analysis.strip(n).in_service]
    for origin in pops:
        if not leads.from_source(*origin):
            continue
        missed = [n for n in fed if not analysis.unblocked.to_strips([n]).from_source(*origin)]
        if missed:
            steps = tuple(
                feed_step(analysis.strip(origin.strip).id, analysis.strip(n).id)
                for n in missed
                if analysis.may_feed(origin.strip, n)
            )
            yield Finding(
                code="pop.alone",
                severity="note",
                message=f"{analysis.name(origin.strip)} is not in {analysis.names(missed)}",
                strips=analysis.ids([origin.strip, *missed]),
                evidence=(f"it is in {len(fed) - len(missed)} of {len(fed)} prints",),
                remedies=(Remedy(f"Feed it to {analysis.names(missed)}", steps, "stem"),) if steps else (),
            )


explain(
    "print.before-inserts",
    many="{n} prints record before their inserts",
    found="A print records its input, and has active inserts that change the sound.",
    why="The file lacks them. It differs from the monitored sound.",
    how="The recording stage of each print is checked. A limiter or clipper with a ceiling gives a warning.",
    fix="Record behind the inserts, or move them to the strip before it.",
    decide="Only you know the intended file. Choose the recording stage of the print.",
    place="map",
)

explain(
    "print.beside",
    many="{n} prints are fed beside their bus",
    found="A print is fed by the same strips as a bus, at the same taps and gains.",
    why="The file lacks the inserts and the fader of the bus.",
    how="The enabled feeds of each print are compared with those of buses and masters that change the sound.",
    fix="Feed the print from the bus.",
)

explain(
    "stem.undeclared",
    many="{n} prints are in no stem or mix",
    found="A fed print belongs to no stem, mix or composite.",
    why="Without a declared mix, the sum of the stems cannot be compared with it.",
    how="Prints with a source are compared with the deliverables.",
    fix="Declare the prints as stems and mixes.",
)

explain(
    "pop.alone",
    many="{n} sync pops are not in every print",
    found="No stem is declared. A sync pop reaches an output, and not every fed print.",
    why="The files without it cannot be aligned.",
    how="Open paths from the pop to every fed print are followed.",
    fix="Feed the pop to every print.",
)
