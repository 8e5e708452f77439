"""A generated template after a long job, with a few of each usual mistake and all their consequences.

Shared returns used by all strips, with a bus that sends to one of them as well, and a loop between two of them. Section
buses ducked by tracks of other sections, strips without a route, inserts on default source levels. Stems with returns
of their own that shared returns feed.
"""

from __future__ import annotations

from dataclasses import dataclass
from random import Random
from typing import Any

RETURNS = 12
WORN_STRIPS = RETURNS + 2  # with the bus they lead to, and its print
LEAKING = 4  # shared returns that lead into a stem with returns of its own
MOST_SENDS = 3  # of one source to shared returns
UNROUTED = 100  # one strip in so many
# One source in so many keeps its level; the others have that of a recorder that was set low.
KEPT = 12
LOW = {"peak_dbfs": -24.0, "rms_dbfs": -36.0}
EFFECTS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("reverb", {"latency_samples": 32}),
    ("delay", {"delay_ms": 375.0, "feedback": 0.3}),
    ("modulation", {}),
)


@dataclass
class Wear:
    """Adds faults to plain strips, routes and stems, by the choices of one random generator."""

    random: Random
    strips: list[dict[str, Any]]
    routes: list[dict[str, Any]]
    stems: list[dict[str, Any]]

    def wear(self) -> None:
        """All of it; the strips it adds are WORN_STRIPS."""
        self.tracks = [strip for strip in self.strips if strip["kind"] == "audio" and "-t" in strip["id"]]
        self.buses = [strip["id"] for strip in self.strips if strip["id"].endswith("-bus")]
        self._levels()
        self._returns()
        self._sends()
        self._keys()
        self._unrouted()

    def _route(self, kind: str, start: str, end: str, **fields: Any) -> None:
        self.routes.append({"id": f"w{len(self.routes) + 1}", "kind": kind, "from": start, "to": end, **fields})

    def _levels(self) -> None:
        for track in self.tracks:
            if self.random.randrange(KEPT):
                track["source"] = LOW

    def _returns(self) -> None:
        """Shared returns: most on one bus with a stem, some on stems that are to have returns of their own."""
        taken = [stem["strip"] for stem in self.stems if stem["id"] != "st-mix"][:LEAKING]
        self.strips.append({"id": "returns", "name": "Returns", "kind": "bus", "layout": "stereo"})
        self.strips.append({"id": "returns-print", "name": "Returns print", "kind": "print", "layout": "stereo"})
        self._route("feed", "returns", "mix")
        self._route("feed", "returns", "returns-print")
        if taken:
            self.stems.append(
                {"id": "st-returns", "name": "Returns", "strip": "returns", "print": "returns-print", "returns": "all"}
            )
        for number in range(RETURNS):
            kind, fields = EFFECTS[number % len(EFFECTS)]
            insert = {"id": f"return{number}-fx", "name": kind.capitalize(), "type": kind, **fields}
            self.strips.append(
                {"id": f"return{number}", "name": f"Return {number}", "kind": "return", "layout": "stereo",
                 "inserts": [insert]}
            )  # fmt: skip
            leaks = RETURNS - number <= len(taken)
            self._route("feed", f"return{number}", taken[RETURNS - number - 1] if leaks else "returns")
        self._route("send", "return1", "return4", gain_db=-10.0)
        self._route("send", "return4", "return1", gain_db=-8.0)
        self._route("send", taken[0] if taken else self.buses[0], "return0", gain_db=-14.0)

    def _sends(self) -> None:
        for track in self.tracks:
            for number in self.random.sample(range(RETURNS), self.random.randint(0, MOST_SENDS)):
                self._route("send", track["id"], f"return{number}", gain_db=round(self.random.uniform(-24, -12), 1))

    def _keys(self) -> None:
        """The compressor of each section bus is ducked by a track of another section, before its fader."""
        keyed = {route["to"] for route in self.routes if route["kind"] == "key"}
        unkeyed = set(self.buses) - keyed
        for strip in self.strips:
            if strip["id"] not in unkeyed:
                continue
            others = [track for track in self.tracks if track["section"] != strip.get("section")]
            if others:
                compressor = strip["inserts"][1]
                compressor["key"] = "external"
                trigger = self.random.choice(others)["id"]
                self._route("key", trigger, strip["id"], to_insert=compressor["id"], tap="pre-fader")

    def _unrouted(self) -> None:
        lost = {track["id"] for track in self.random.sample(self.tracks, max(1, len(self.tracks) // UNROUTED))}
        self.routes[:] = [route for route in self.routes if route["kind"] == "key" or route["from"] not in lost]
