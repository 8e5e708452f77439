"""Every kind of route, a row each: whether it carries sound, its valid ends, its text and its drawing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from lattice.model import strip_kinds

SOUNDING = frozenset(row.name for row in strip_kinds.STRIP_KINDS if row.carries_sound)


@dataclass(frozen=True)
class RouteTraits:
    """The properties of one kind of route (docs/reference/model.md, *Connections*)."""

    name: str
    verb: str  # “Kick feeds Drums”
    brings_sound: bool  # to the `in` of the strip it ends at
    starts_at: frozenset[str]  # kinds of strips
    ends_at: tuple[str, ...]
    machines: Literal["one", "two", "any"]  # whether its ends lie on one machine
    works_insert: bool = False  # ends at an insert's key input
    from_outboard: bool = False  # may start at an instrument of an outboard machine too
    graph_line: str = "solid"  # its line in graph forms


ROUTE_KINDS: tuple[RouteTraits, ...] = (
    RouteTraits("feed", "feeds", True, SOUNDING - strip_kinds.NO_START, strip_kinds.FED, "one"),
    RouteTraits("send", "sends to", True, SOUNDING - strip_kinds.NO_START, strip_kinds.FED, "one", graph_line="dashed"),
    RouteTraits("key", "keys", False, SOUNDING, tuple(sorted(SOUNDING)), "any", works_insert=True, graph_line="dotted"),
    RouteTraits(
        "midi",
        "plays",
        False,
        frozenset({"midi", "input"}),
        ("instrument", "midi"),
        "any",
        from_outboard=True,
        graph_line="bold",
    ),
    RouteTraits("tie", "is tied to", True, frozenset({"output"}), ("input",), "two", graph_line="dashed"),
)

# The document's type of the field. A type checker cannot read the table, so to it this is a string.
if TYPE_CHECKING:
    RouteKind = str
else:
    RouteKind = Literal[tuple(traits.name for traits in ROUTE_KINDS)]

TRAITS = {traits.name: traits for traits in ROUTE_KINDS}
BRINGING_SOUND = frozenset(row.name for row in ROUTE_KINDS if row.brings_sound)
