"""GraphML and DOT, read back by general tools."""

from __future__ import annotations

import io

import networkx as nx

from lattice.formats.graph_forms import dot, graphml
from tests.build import template

MADE = template(
    ["a:kick", "b:drums", "o:out"], ["kick>drums", "send kick>out -6", "drums>out"], name='A "quoted" <name> & co'
)


def test_graphml_is_read_by_networkx() -> None:
    graph = nx.read_graphml(io.BytesIO(graphml(MADE)), force_multigraph=True)
    assert set(graph.nodes) == {"kick", "drums", "out"}
    assert {(start, end, data["kind"]) for start, end, data in graph.edges(data=True)} == {
        ("kick", "drums", "feed"), ("kick", "out", "send"), ("drums", "out", "feed"),
    }  # fmt: skip
    assert graph.nodes["kick"]["kind"] == "audio"


def test_dot_names_every_strip_and_route_once_and_escapes_quotes() -> None:
    text = dot(MADE).decode()
    assert text.startswith('digraph "A \\"quoted\\" <name> & co" {')
    assert text.count(" -> ") == 3
    assert text.count("{") == text.count("}")
