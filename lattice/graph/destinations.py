"""Where a strip without a path should go: the nearest sum (docs/reference/causes.md, *Fixes*)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from lattice.graph.signal_graph import POST, SignalGraph
from lattice.model.document import Strip
from lattice.model.name_words import base_name, is_cue_name
from lattice.model.strip_kinds import SUMS


class Destinations:
    """The usual destinations of one template; indexes are made once.

    Parameters
    ----------
    graph
        The signal graph of the template.
    """

    def __init__(self, graph: SignalGraph) -> None:
        self.graph = graph
        self.sections = {section.id: section for section in graph.template.sections}
        self._main: tuple[int | None] | None = None
        self._unfed: dict[tuple[str, ...], list[int]] | None = None
        self._alike: dict[tuple[str, str], list[int]] | None = None
        self._ends: dict[tuple[str, str], Counter[int]] = {}

    @property
    def main_output(self) -> int | None:
        """The first output in service that is no cue output; None where there is none."""
        if self._main is None:
            outputs = (n for n in self.graph.by_kind["output"] if self.graph.strips[n].in_service)
            found = (n for n in outputs if n not in self.graph.tied_out and not self.is_cue(n))
            self._main = (next(found, None),)
        return self._main[0]

    def is_cue(self, output: int) -> bool:
        """Return whether an output is for headphones or cues: named so, or fed by sends before a fader."""
        graph = self.graph
        if is_cue_name(graph.strips[output].name):
            return True
        at, seen = output, {output}
        while True:
            ins = graph.ins[at]
            if any(graph.routes[r].kind == "send" and graph.stage[r] != POST for r in ins):
                return True
            if len(ins) != 1 or graph.tail[ins[0]] in seen:
                return False
            at = graph.tail[ins[0]]
            seen.add(at)

    @property
    def last_sum(self) -> int | None:
        """The last sum before the main output: its master, else the last strip that several routes feed."""
        output = self.main_output
        if output is None:
            return None
        graph, at, seen = self.graph, output, set()
        while at not in seen:
            seen.add(at)
            kind, ins = graph.strips[at].kind, graph.ins[at]
            if kind == "master" or (len(ins) != 1 and at != output):
                return at if kind in SUMS else None
            if at == output and len(ins) != 1:
                sums = [graph.tail[r] for r in ins if graph.strips[graph.tail[r]].kind in SUMS]
                masters = [n for n in sums if graph.strips[n].kind == "master"]
                return next(iter(masters or sums), None)
            at = graph.tail[ins[0]]
        return None

    def of_its_name(self, number: int) -> int | None:
        """The only unfed bus, or strip that passes its input, with the name of a strip; None without one."""
        graph = self.graph
        if self._unfed is None:
            self._unfed = {}
            for at, strip in enumerate(graph.strips):
                if not graph.ins[at] and _takes_sound(strip) and strip.in_service:
                    self._unfed.setdefault(base_name(strip.name), []).append(at)
        found = [at for at in self._unfed.get(base_name(graph.strips[number].name), ()) if at != number]
        return found[0] if len(found) == 1 and base_name(graph.strips[number].name) else None

    def section_bus(self, number: int) -> int | None:
        """The bus of the strip's section, or of the nearest section around it."""
        strip = self.graph.strips[number]
        section = self.sections.get(strip.section or "")
        while section is not None and section.bus in (None, strip.id):
            section = self.sections.get(section.parent or "")
        return self.graph.index[section.bus] if section is not None and section.bus else None

    def of_its_kind(self, number: int) -> int | None:
        """Where most strips of its kind in its section go."""
        strip = self.graph.strips[number]
        if strip.section is None:
            return None
        key = strip.section, strip.kind
        alike = self._of_section(*key)
        if key not in self._ends:
            self._ends[key] = Counter(end for n in alike for end in self._fed_by(n))
        ends = self._ends[key] - Counter(self._fed_by(number))
        alike = [n for n in alike if n != number]
        end, count = max(ends.items(), key=lambda entry: (entry[1], -entry[0]), default=(-1, 0))
        return end if 2 * count > len(alike) else None

    def _fed_by(self, number: int) -> Iterator[int]:
        graph = self.graph
        routes = ((r, graph.routes[r]) for r in graph.outs[number])
        return (graph.head[r] for r, route in routes if route.kind == "feed" and route.enabled)

    def _of_section(self, section: str, kind: str) -> list[int]:
        if self._alike is None:
            self._alike = {}
            for number, strip in enumerate(self.graph.strips):
                if strip.section is not None:
                    self._alike.setdefault((strip.section, strip.kind), []).append(number)
        return self._alike.get((section, kind), [])

    def nearest(self, number: int) -> list[int]:
        """Destinations of a strip, the nearest first.

        Parameters
        ----------
        number
            Position of the strip.

        Returns
        -------
        list of int
            An unfed strip of its name, the bus of its section, the destination of its like, the last sum before the
            main output; the output itself only where no sum leads to it. Whether it may be fed is not looked at.
        """
        last = self.last_sum
        end = self.main_output if last is None else last
        found = (self.of_its_name(number), self.section_bus(number), self.of_its_kind(number), end)
        return list(dict.fromkeys(at for at in found if at is not None and at != number))


def _takes_sound(strip: Strip) -> bool:
    """A bus, or a channel that passes what is fed to it and plays nothing itself."""
    if strip.kind == "audio":
        return strip.source is None or strip.monitor == "always"
    return strip.kind == "bus"
