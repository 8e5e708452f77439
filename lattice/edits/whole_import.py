"""A whole template brought into another: all but its outputs and masters, tied to the sums that are there."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.edits.add_block import LEAVE, MAKE, usual_ties
from lattice.graph.destinations import Destinations
from lattice.graph.signal_graph import SignalGraph
from lattice.model.block import Block
from lattice.model.document import Strip, Template
from lattice.model.strip_kinds import SUMS

ENDS = ("output", "master")


def all_but_ends(template: Template) -> list[str]:
    """Ids of all strips but outputs, masters, and prints that only those feed. Outputs that are tied to inputs come."""
    tied = {route.from_strip for route in template.routes if route.kind == "tie"}
    ends = {strip.id for strip in template.strips if strip.kind in ENDS and strip.id not in tied}
    feeding: dict[str, set[str]] = {}
    for route in template.routes:
        if route.kind != "key":
            feeding.setdefault(route.to, set()).add(route.from_strip)
    return [strip.id for strip in template.strips if strip.id not in ends and not _records_ends(strip, feeding, ends)]


def _records_ends(strip: Strip, feeding: dict[str, set[str]], ends: set[str]) -> bool:
    fed_by = feeding.get(strip.id, set())
    return strip.kind == "print" and bool(fed_by) and fed_by <= ends


def ties_to_sums(template: Template, block: Block) -> dict[str, str]:
    """As `usual_ties`, but what leads to an output or master of no name here is tied to the last sum.

    Headphones and other cue outputs stay open: what only players hear is not for the mix.

    Returns
    -------
    dict
        Strip that represents the end → a strip here, MAKE where there is no sum, or LEAVE.
    """
    inner = SignalGraph(block.template)
    is_cue = Destinations(inner).is_cue
    cues = {block.template.strips[n].id for n in inner.by_kind["output"] if is_cue(n)}
    last_sum = _last_sum(SignalGraph(template))
    stands = {strip.id: strip for strip in block.template.strips}
    to_sum = template.strips[last_sum].id if last_sum is not None else MAKE
    usual = usual_ties(template, block)
    names = {strip.name.casefold() for strip in template.strips}
    alike = {end for end in usual if stands[end].name.casefold() in names}
    return {
        end: LEAVE if end in cues - alike else to_sum if tied == MAKE and stands[end].kind in ENDS else tied
        for end, tied in usual.items()
    }


def _last_sum(graph: SignalGraph) -> int | None:
    """The last sum before the main output; where only one strip feeds each, the one that feeds the output."""
    destinations = Destinations(graph)
    output = destinations.main_output
    if destinations.last_sum is not None or output is None:
        return destinations.last_sum
    before = (graph.tail[route] for route in graph.ins[output])
    return next((number for number in before if graph.strips[number].kind in SUMS), None)


def without_processing(block: Block) -> Block:
    """A block with all its inserts unloaded: their places and names stay. Rules that ask for a ducker do not come."""

    def unloaded(strip: Strip) -> Strip:
        inserts = tuple(replace(insert, state="unloaded") for insert in strip.inserts)
        return replace(strip, inserts=inserts) if inserts else strip

    strips = tuple(map(unloaded, block.template.strips))
    rules = tuple(rule for rule in block.template.rules if rule.kind != "ducked-by")
    return replace(block, template=replace(block.template, strips=strips, rules=rules))
