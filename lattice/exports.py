"""Every form a template can be given out in: the formats, its map as a picture, and a workbook with its findings."""

from __future__ import annotations

from lattice.formats.registry import FORMATS, Format
from lattice.model.document import Template
from lattice.model.tiers import colouring


def svg(template: Template) -> bytes:
    """The map of a template, drawn from scratch, as an SVG picture without external parts."""
    from lattice.drawing import Slots, draw
    from lattice.drawing.svg import pieces
    from lattice.graph.loops import LoopGraph
    from lattice.graph.signal_graph import SignalGraph

    graph = SignalGraph(template)
    sheet = draw(graph, LoopGraph(graph).feedback, (), Slots())
    facts = (
        ("Strips, routes", f"{len(template.strips)} {len(template.routes)}"),
        ("Rate", f"{template.sample_rate_hz} Hz"),
    )
    return pieces(sheet, facts, template.name, colours=colouring(template), standalone=True).whole().encode()


def xlsx(template: Template) -> bytes:
    """A workbook of a template: its lists, a sheet each, and the findings of an audit."""
    from lattice.checks import audit
    from lattice.formats import workbook_writer

    names = {strip.id: strip.name for strip in template.strips}
    findings = (
        (
            "waived" if one.waived else one.severity,
            one.code,
            one.message,
            "; ".join(names[strip] for strip in one.strips),
            "; ".join(one.evidence),
        )
        for one in audit(template).findings
    )
    return workbook_writer.dump(template, findings)


WORKBOOK = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
EXPORTS: dict[str, Format] = {
    **FORMATS,
    "svg": Format("svg", "image/svg+xml", svg),
    "xlsx": Format("xlsx", WORKBOOK, xlsx),
}
