"""Rules that the current routing suggests: most teams would record them."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.rules import broken_by
from lattice.graph.signal_graph import POST
from lattice.model.document import Rule


def suggestions(analysis: Analysis) -> list[tuple[Rule, int]]:
    """(rule, sources that break it now) of every promise that is not written down already."""
    known = {_promise(rule) for rule in analysis.template.rules}
    found = [rule for rule in _suggested(analysis) if _promise(rule) not in known]
    return [(rule, sum(1 for _broken in broken_by(analysis, rule))) for rule in found]


def _promise(rule: Rule) -> tuple[object, ...]:
    return rule.kind, rule.sources, rule.through, rule.to


def _suggested(analysis: Analysis) -> Iterator[Rule]:
    by_tag, by_kind, template = analysis.graph.by_tag, analysis.graph.by_kind, analysis.template
    masters = tuple(f"strip:{strip}" for strip in analysis.ids(by_kind["master"]))
    taken = tuple(dict.fromkeys(f"strip:{stem.strip}" for stem in template.stems if stem.strip))
    if by_tag["reference"] and masters:
        yield Rule(
            id="reference-clean",
            name="Clean reference",
            kind="avoids",
            sources=("tag:reference",),
            through=masters,
        )  # fmt: skip
    for tag, name in (("click", "Click"), ("talkback", "Talkback")):
        if by_tag[tag] and taken:
            yield Rule(
                id=f"{tag}-in-no-stem",
                name=f"{name} reaches no stem",
                kind="isolated",
                sources=(f"tag:{tag}",),
                to=taken,
            )
    outputs = [strip for strip in by_kind["output"] if strip not in analysis.graph.tied_out]
    for tag in ("click", "talkback"):
        heard = [out for out in outputs if any(out in analysis.downstream(strip) for strip in by_tag[tag])]
        if heard and len(heard) < len(outputs):
            others = tuple(f"strip:{strip}" for strip in analysis.ids([out for out in outputs if out not in heard]))
            names = " and ".join(analysis.name(out) for out in heard)
            yield Rule(
                id=f"{tag}-private",
                name=f"{tag.capitalize()} reaches only {names}"[:120],
                kind="isolated",
                sources=(f"tag:{tag}",),
                to=others,
            )
    yield from _cues(analysis)


def _cues(analysis: Analysis) -> Iterator[Rule]:
    """Buses with mostly pre-fader sends: headphones keep their balance when mix faders move."""
    graph = analysis.graph
    for bus in graph.by_kind["bus"]:
        sends = [route for route in graph.ins[bus] if graph.routes[route].kind == "send"]
        before = [route for route in sends if graph.stage[route] != POST]
        if len(before) > 1 and 2 * len(before) > len(sends):
            yield Rule(
                id=f"{graph.strips[bus].id}-before-fader"[:64].rstrip("-"),
                name=f"Sends to {analysis.name(bus)} are pre-fader"[:120],
                kind="pre-fader",
                sources=("kind:audio", "kind:input", "kind:instrument"),
                to=(f"strip:{graph.strips[bus].id}",),
            )
