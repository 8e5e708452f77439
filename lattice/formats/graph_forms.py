"""The signal flow as GraphML and as DOT, for general graph tools."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from lattice.model import route_kinds
from lattice.model.document import Template

NODE_KEYS = ("name", "kind", "layout", "section", "machine")
EDGE_KEYS = ("kind", "tap", "gain_db", "enabled", "to_insert", "from_outlet", "port", "channel")


def graphml(template: Template) -> bytes:
    """GraphML (graphml.graphdrawing.org, 2002 schema): a node a strip, an edge a route."""
    out = ['<?xml version="1.0" encoding="UTF-8"?>', '<graphml xmlns="http://graphml.graphdrawing.org/xmlns">']
    for what, keys in (("node", NODE_KEYS), ("edge", EDGE_KEYS)):
        out += [f'<key id="{what}-{key}" for="{what}" attr.name="{key}" attr.type="string"/>' for key in keys]
    out.append(f'<graph id={quoteattr(template.name)} edgedefault="directed">')
    for strip in template.strips:
        out.append(f"<node id={quoteattr(strip.id)}>{_data('node', NODE_KEYS, strip)}</node>")
    for route in template.routes:
        ends = f"source={quoteattr(route.from_strip)} target={quoteattr(route.to)}"
        out.append(f"<edge id={quoteattr(route.id)} {ends}>{_data('edge', EDGE_KEYS, route)}</edge>")
    return ("\n".join([*out, "</graph>", "</graphml>"]) + "\n").encode()


def _data(what: str, keys: tuple[str, ...], piece: object) -> str:
    values = ((key, getattr(piece, key)) for key in keys)
    return "".join(
        f'<data key="{what}-{key}">{escape(_word(value))}</data>' for key, value in values if value is not None
    )


def _word(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else f"{value:g}" if isinstance(value, float) else str(value)


def dot(template: Template) -> bytes:
    """DOT (the Graphviz language): sections as clusters, left to right."""
    out = [f"digraph {_quoted(template.name)} {{", " rankdir=LR;", ' node [shape=box, fontname="sans-serif"];']
    for section in template.sections:
        out.append(f" subgraph {_quoted('cluster-' + section.id)} {{ label={_quoted(section.name)};")
        out += [f"  {_quoted(strip.id)};" for strip in template.strips if strip.section == section.id]
        out.append(" }")
    out += [f" {_quoted(strip.id)} [label={_quoted(strip.name)}];" for strip in template.strips]
    for route in template.routes:
        ends = f"{_quoted(route.from_strip)} -> {_quoted(route.to)}"
        line = route_kinds.TRAITS[route.kind].graph_line
        out.append(f" {ends} [id={_quoted(route.id)}, style={line}, label={_quoted(route.kind)}];")
    return ("\n".join([*out, "}"]) + "\n").encode()


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", " ")
    return f'"{escaped}"'
