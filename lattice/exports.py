"""Every form a template can be given out in: the formats, and its map as a picture."""

from __future__ import annotations

from lattice.formats.registry import FORMATS, Format
from lattice.model.document import Template


def svg(template: Template) -> bytes:
    """The map of a template, laid out anew, as an SVG picture that needs nothing else."""
    from lattice.graph.loops import LoopGraph
    from lattice.graph.signal_graph import SignalGraph
    from lattice.sheet import Slots, draw
    from lattice.sheet.svg import pieces

    graph = SignalGraph(template)
    sheet = draw(graph, LoopGraph(graph).feedback, (), Slots())
    facts = (
        ("Strips, routes", f"{len(template.strips)} {len(template.routes)}"),
        ("Rate", f"{template.sample_rate_hz} Hz"),
    )
    return pieces(sheet, facts, template.name, standalone=True).whole().encode()


EXPORTS: dict[str, Format] = {**FORMATS, "svg": Format("svg", "image/svg+xml", svg)}
