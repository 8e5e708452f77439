"""Wire it up: what leads nowhere goes to its nearest sum, the mix to an output, with what is missing made."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Pieces
from lattice.edits.described import edit
from lattice.edits.instruments import outlet_set
from lattice.edits.pieces import all_known
from lattice.errors import EditError
from lattice.graph.destinations import Destinations
from lattice.graph.reach import downstream
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Route, Strip, Template, machine_id
from lattice.model.excluded_tags import PAST_THE_MIX
from lattice.model.name_words import belong_together, is_mix_name
from lattice.model.names import free_id, free_route_ids, slug
from lattice.model.strip_kinds import ENDS

NOT_WIRED = frozenset({"trigger", "spare", "backup"})
MIX_NAME = "Mix"


def leads_nowhere(graph: SignalGraph, number: int) -> bool:
    """Return whether a strip carries sound, is meant to sound, and no route of any kind leaves it."""
    strip = graph.strips[number]
    if strip.kind == "midi" or strip.kind in ENDS or not strip.in_service or NOT_WIRED & set(strip.tags):
        return False
    return number not in graph.leaving_strips and number not in graph.stems_at


def _words(_template: Template, arguments: dict[str, Any]) -> str:
    many = len(arguments["strips"])
    return f"Wire up {many} strips" if many != 1 else "Wire up 1 strip"


@edit(Pieces("strips"), says=_words)
def wire_up(template: Template, strips: list[str]) -> Template:
    """Strips that lead nowhere, fed to their nearest sum; a mix and an output are made where there is none.

    Parameters
    ----------
    template
        The template.
    strips
        The strips to wire; those that lead somewhere, triggers, spares and backups stay as they are. Unfed prints among
        them are fed by the strip of their name, or by the mix.

    Raises
    ------
    EditError
        If an id is unknown, or none of the strips can be wired.
    """
    wanted = all_known(template.strips, strips, "strip")
    with_outlets = _with_outlets(template, wanted)
    wiring = _Wiring(with_outlets, wanted)
    if with_outlets is not template and not wiring.open:
        return with_outlets
    return wiring.run()


def wired_where_possible(template: Template, strips: list[str]) -> Template:
    """The same, and the template as it is where all of them lead somewhere."""
    try:
        return wire_up(template, strips)
    except EditError:
        return template


def _with_outlets(template: Template, wanted: frozenset[str]) -> Template:
    """A strip for each outlet of instruments that nothing takes."""
    for number, strip in enumerate(template.strips):
        if strip.id in wanted and len(strip.outlets) > 1 and leads_nowhere(SignalGraph(template), number):
            template = outlet_set(template, strip.id)
    return template


class _Wiring:
    """One run over the strips, in document order; the graph grows with each feed."""

    def __init__(self, template: Template, wanted: frozenset[str]) -> None:
        self.template, self.wanted = template, wanted
        self.graph = SignalGraph(template)
        self.ends = Destinations(self.graph)
        self.open = [n for n in range(len(template.strips)) if self._is_wanted(n) and self._leads_nowhere(n)]
        self.made: list[Strip] = []
        self.feeds: list[tuple[str, str]] = []
        self.ids = {strip.id for strip in template.strips}

    def _is_wanted(self, number: int) -> bool:
        strip = self.graph.strips[number]
        if strip.id in self.wanted:
            return True
        feeding = (self.graph.strips[self.graph.tail[route]].id for route in self.graph.ins[number])
        return strip.kind == "audio" and strip.source is None and not self.wanted.isdisjoint(feeding)

    def _leads_nowhere(self, number: int) -> bool:
        """Nothing leaves it; of an instrument whose outlets have strips by now, nothing leaves its main outlet."""
        strip = self.graph.strips[number]
        is_open_main = len(strip.outlets) > 1 and strip.id in self.wanted and not self.graph.outs[number]
        return is_open_main or leads_nowhere(self.graph, number)

    def run(self) -> Template:
        prints = [n for n in self.graph.by_kind["print"] if self._is_wanted(n) and not self.graph.ins[n]]
        if not self.open and not prints:
            raise EditError("every one of these strips leads somewhere already")
        output = self._output() if self.open else None
        mix = self._mix(output)
        for number in self.open:
            strip = self.graph.strips[number]
            end = output if strip.id == mix or PAST_THE_MIX & set(strip.tags) else self._end_of(number, mix)
            if end is not None and end != strip.id:
                self.feeds.append((strip.id, end))
        for number in prints:
            self._feed_print(number, mix)
        if not self.feeds:
            raise EditError("none of these strips can be fed to a sum of its machine")
        return self._with_routes()

    def _output(self) -> str:
        """The main output, or a new one on the main machine."""
        known = self.ends.main_output
        if known is not None:
            return self.graph.strips[known].id
        machine = self.template.machines[0]
        taken = {
            channel
            for strip in self.graph.strips
            if strip.kind == "output" and machine_id(self.template, strip) == machine.id
            for channel in strip.io or ()
        }
        pair = next(((n, n + 1) for n in range(1, machine.outputs, 2) if not taken & {n, n + 1}), None)
        name = f"Out {pair[0]}–{pair[1]}" if pair else "Main out"
        return self._new(Strip(id=self._free(name), name=name, kind="output", layout="stereo", io=pair))

    def _mix(self, output: str | None) -> str | None:
        """The last sum before the output, else a master that leads nowhere, else a new one."""
        if self.ends.last_sum is not None:
            return self.graph.strips[self.ends.last_sum].id
        masters = [self.graph.strips[n].id for n in self.open if self.graph.strips[n].kind == "master"]
        if masters:
            return masters[0]
        number = self.graph.index.get(output or "")
        if output is None or (number is not None and self.graph.ins[number]):
            return output
        plain = [n for n in self.open if not PAST_THE_MIX & set(self.graph.strips[n].tags)]
        if not plain:
            return output
        mix = self._new(Strip(id=self._free(MIX_NAME), name=MIX_NAME, kind="master", layout="stereo"))
        self.feeds.append((mix, output))
        return mix

    def _end_of(self, number: int, mix: str | None) -> str | None:
        """The nearest sum that may be fed and closes no loop; a private section stays among its own."""
        graph, strip = self.graph, self.graph.strips[number]
        section = self.ends.sections.get(strip.section or "")
        for end in self.ends.nearest(number):
            if end != self.ends.main_output and self._may_feed(number, end):
                return graph.strips[end].id
        if section is not None and section.private:
            return None
        return mix if strip.machine in (None, self.template.machines[0].id) else None

    def _may_feed(self, start: int, end: int) -> bool:
        graph = self.graph
        same_machine = graph.machine_of(start) == graph.machine_of(end)
        return same_machine and graph.strips[end].traits.is_fed and start not in downstream(graph, end)

    def _feed_print(self, number: int, mix: str | None) -> None:
        """By the mix where it is named so, else by the strip of its name."""
        strip = self.graph.strips[number]
        others = {one.id: one.name for one in self.graph.strips if one.traits.leaves_by_routes and one is not strip}
        start = mix if is_mix_name(strip.name) else belong_together(strip.name, others)
        if start is not None and start != strip.id:
            self.feeds.append((start, strip.id))

    def _new(self, strip: Strip) -> str:
        self.made.append(strip)
        return strip.id

    def _free(self, name: str) -> str:
        found = free_id(slug(name), self.ids)
        self.ids.add(found)
        return found

    def _with_routes(self) -> Template:
        ids = free_route_ids(self.template)
        routes = (Route(id=next(ids), kind="feed", from_strip=start, to=end) for start, end in self.feeds)
        return replace(
            self.template, strips=(*self.template.strips, *self.made), routes=(*self.template.routes, *routes)
        )
