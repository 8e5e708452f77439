"""A template in another layout: the sums, prints and outputs of its programme wider or narrower."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Flag, Pieces
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, insert_ids
from lattice.edits.reduce import downstream
from lattice.errors import EditError
from lattice.model.document import Insert, Machine, Profile, Route, Strip, Template, machine_id
from lattice.model.layouts import NAMED, channel_count
from lattice.model.names import free_id
from lattice.model.strip_kinds import ENDS, PLAYING

PROGRAMME = ("bus", "master")
MOST_CHANNELS = 1024  # of strips that keep their layout: no pair exceeds it
LAYOUTS = tuple(name for name in NAMED if name != "mono")


@dataclass(frozen=True)
class Reformatted:
    """A template in another layout.

    Attributes
    ----------
    template
        The template.
    strips
        Strips that have the new layout, in document order.
    stays
        Sums and ends that keep the old one.
    folds
        Routes by which something wide now comes into something narrow.
    said
        Other results and problems: physical channels, stems, panners, channels of routes.
    """

    template: Template
    strips: tuple[str, ...]
    stays: tuple[str, ...]
    folds: tuple[Route, ...]
    said: tuple[str, ...]


def programme_strips(template: Template, layout: str) -> tuple[str, ...]:
    """The strips of a layout that carry the programme: sums that feed a master, masters, and the ends they feed.

    Without a master, sums that feed an output or a print take its place. Returns and strips reached by sends alone are
    left out: effects and headphones have their own layouts. O(strips + routes).
    """
    feeds = [route for route in template.routes if route.kind == "feed"]
    back = [replace(route, from_strip=route.to, to=route.from_strip) for route in feeds]
    masters = {strip.id for strip in template.strips if strip.kind == "master"}
    goals = masters or {strip.id for strip in template.strips if strip.kind in ENDS}
    leads = downstream(back, goals)
    sums = {s.id for s in template.strips if s.kind in PROGRAMME and s.layout == layout and s.id in leads}
    fed = {route.to for route in feeds if route.from_strip in sums}
    return tuple(
        strip.id for strip in template.strips
        if strip.id in sums or (strip.kind in ENDS and strip.layout == layout and strip.id in fed)
    )  # fmt: skip


def reformatted(
    template: Template, before: str, after: str, strips: Collection[str] | None = None, *, panners: bool = False
) -> Reformatted:
    """A template whose programme has another layout.

    Parameters
    ----------
    template
        The template.
    before, after
        The layout it has, and the one it gets.
    strips
        Which strips change; None: those of `programme_strips`.
    panners
        Whether mono and stereo sources that feed a widened strip get a panner; such panners are removed if it is
        narrowed again.

    Returns
    -------
    Reformatted
        A change and its reversal give the same template if nothing folds.

    Raises
    ------
    EditError
        If the layout or strip does not exist, or no strip has that layout.
    """
    wrong = [f"“{one}” is not one of {', '.join(LAYOUTS)}" for one in (before, after) if one not in LAYOUTS]
    chosen = programme_strips(template, before) if strips is None else all_known(template.strips, strips, "strip")
    changing = {strip.id for strip in template.strips if strip.id in chosen and strip.layout == before}
    if wrong or before == after or not changing:
        said = f"the template is already {after}" if before == after else f"no strip of the programme is {before}"
        raise EditError(*(wrong or [said]))
    work = _Work(template, before, after, changing)
    new = [work.changed(strip) if strip.id in changing else strip for strip in template.strips]
    new = [work.with_panner(strip, wanted=panners) for strip in new]
    routes = tuple(map(work.route, template.routes))
    made = replace(
        template, strips=tuple(new), routes=routes, machines=template.machines,
        stems=tuple(
            replace(stem, layout=after)
            if stem.layout == before and {stem.strip, stem.print} & changing else stem
            for stem in template.stems
        ),
        profile=work.profile(),
    )  # fmt: skip
    stays = (s.id for s in made.strips if s.layout == before and s.kind in (*PROGRAMME, *ENDS) and s.id not in changing)
    folds = tuple(_folding(made, changing))
    ordered = tuple(strip.id for strip in template.strips if strip.id in changing)
    return Reformatted(made, ordered, tuple(stays), folds, tuple(work.said))


class _Work:
    """The effects of a layout change, piece by piece, and the report."""

    def __init__(self, template: Template, before: str, after: str, changing: Collection[str]) -> None:
        self.template, self.before, self.after, self.changing = template, before, after, changing
        self.width = channel_count(after)
        self.is_wider = self.width > channel_count(before)
        self.said: list[str] = []
        self.taken = insert_ids(template)
        self.used: dict[tuple[str, str], set[int]] = {}
        for strip in template.strips:
            machine = machine_id(template, strip)
            self.used.setdefault((machine, strip.kind), set()).update(strip.io or ())
            for insert in strip.inserts:  # outside gear sits on channels too
                self.used.setdefault((machine, "output"), set()).update(insert.io_out or ())
                self.used.setdefault((machine, "input"), set()).update(insert.io_in or ())
        feeds = (r for r in template.routes if r.kind == "feed" and r.channels is None)
        self.feeding = {route.from_strip for route in feeds if route.to in changing}
        self.names = {strip.id: strip.name for strip in template.strips}

    def changed(self, strip: Strip) -> Strip:
        """A strip in the new layout, with its physical channels and the layouts of its inserts."""
        inserts = tuple(
            replace(
                insert, layout_in=self.after if insert.layout_in == self.before else insert.layout_in,
                layout_out=self.after if insert.layout_out == self.before else insert.layout_out,
            )
            for insert in strip.inserts
        )  # fmt: skip
        return replace(strip, layout=self.after, inserts=inserts, io=self._io(strip))

    def _io(self, strip: Strip) -> tuple[int, ...] | None:
        """Its first channels as they are; more of them behind, or on the next that are free."""
        if strip.io is None or len(strip.io) != channel_count(self.before):
            return strip.io
        if not self.is_wider:
            return strip.io[: self.width]
        machine = next(one for one in self.template.machines if one.id == machine_id(self.template, strip))
        used = self.used[machine.id, strip.kind]
        more = self._free(machine, strip, used, self.width - len(strip.io))
        if more is None:
            wanted = self.width - len(strip.io)
            self.said.append(f"{strip.name}: {machine.name} has fewer than {wanted} free channels")
            return strip.io
        used.update(more)
        self.said.append(f"{strip.name}: physical channels {', '.join(map(str, (*strip.io, *more)))}")
        return (*strip.io, *more)

    @staticmethod
    def _free(machine: Machine, strip: Strip, used: Collection[int], count: int) -> tuple[int, ...] | None:
        """As many free channels in a row: those after its own, else the first."""
        most = machine.inputs if strip.kind == "input" else machine.outputs
        behind = max(strip.io or (0,)) + 1
        for first in (behind, *range(1, most - count + 2)):
            run = range(first, first + count)
            if run[-1] <= most and not set(run) & set(used):
                return tuple(run)
        return None

    # panners

    def with_panner(self, strip: Strip, *, wanted: bool) -> Strip:
        """A source with a panner into a widened strip, or without the one added for it."""
        is_source = strip.kind in PLAYING and strip.id in self.feeding
        if not is_source:
            return strip
        if self.is_wider:
            if not wanted or channel_count(strip.layout) > 2:
                return strip
            panner = _panner(free_id(f"{strip.id}-panner"[:64], self.taken), self.after)
            self.taken.add(panner.id)
            self.said.append(f"{strip.name}: a panner into {self.after}")
            return replace(strip, inserts=(*strip.inserts, panner))
        last = strip.inserts[-1] if strip.inserts else None
        if last is None or last != _panner(last.id, self.before):
            return strip
        self.said.append(f"{strip.name}: without its panner into {self.before}")
        return replace(strip, inserts=strip.inserts[:-1])

    # routes, profile

    def route(self, route: Route) -> Route:
        """A route without pairs of channels that one of its ends has no more."""
        if route.channels is None or self.is_wider:
            return route
        most = (
            self.width if route.from_strip in self.changing else MOST_CHANNELS,
            self.width if route.to in self.changing else MOST_CHANNELS,
        )
        kept = tuple(pair for pair in route.channels if pair[0] <= most[0] and pair[1] <= most[1])
        if kept != route.channels:
            ends = f"{self.names[route.from_strip]} → {self.names[route.to]}"
            self.said.append(f"{route.kind} {ends}: {len(route.channels) - len(kept)} fewer channel pairs")
        return replace(route, channels=kept)

    def profile(self) -> Profile:
        """The deliverables in the new layout; both layouts if both are required."""
        profile = self.template.profile
        if self.before not in profile.layouts or self.after in profile.layouts:
            return profile
        self.said.append(f"delivery in {self.after}")
        return replace(profile, layouts=tuple(self.after if one == self.before else one for one in profile.layouts))


def _panner(insert_id: str, layout: str) -> Insert:
    return Insert(id=insert_id, name=f"Panner, {layout}", type="panner", layout_out=layout)


def _folding(made: Template, changing: Collection[str]) -> Iterator[Route]:
    """Routes at a strip that has changed, from wide to narrow."""
    widths = {strip.id: channel_count(_last_layout(strip)) for strip in made.strips}
    into = {strip.id: channel_count(strip.layout) for strip in made.strips}
    for route in made.routes:
        is_touched = route.from_strip in changing or route.to in changing
        if is_touched and route.kind in ("feed", "send", "tie") and widths[route.from_strip] > into[route.to]:
            yield route


def _last_layout(strip: Strip) -> str:
    """The layout of a strip's output: that of its last insert with one."""
    said: Iterable[str] = (insert.layout_out for insert in reversed(strip.inserts) if insert.layout_out)
    return next(iter(said), strip.layout)


@edit(
    Choice("before", options=LAYOUTS),
    Choice("after", options=LAYOUTS),
    Pieces("strips", default=None),
    Flag("panners", "panners for sources", default=False),
    says="{before} to {after}",
)
def reformat(
    template: Template, before: str, after: str, strips: list[str] | None = None, panners: bool = False
) -> Template:
    """A template whose programme has another layout; see `reformatted`."""
    return reformatted(template, before, after, strips, panners=panners).template
