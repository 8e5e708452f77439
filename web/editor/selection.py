"""Selected strips of a template, their facts, and the pieces that a form about them chooses from."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from functools import cached_property

from lattice.gain_staging.chain import likely_db
from lattice.model.document import Route, Section, Strip
from lattice.model.names import joined
from lattice.model.palette import next_colour
from lattice.model.strip_kinds import DESTINATIONS
from lattice.model.units import words_db
from web.shelf.workspace import Workspace

Pairs = Sequence[tuple[str, str]]  # value and words of each entry of a list


class Selection:
    """Some strips of a template, in session order; what a form may choose from is made when it is asked for.

    Parameters
    ----------
    space
        The template.
    ids
        Ids of the strips, with blanks between; unknown ones are left out.
    """

    def __init__(self, space: Workspace, ids: str) -> None:
        self.space, self.template = space, space.template
        wanted = set(ids.split())
        self.strips: list[Strip] = [strip for strip in space.template.strips if strip.id in wanted]
        self.known = {strip.id for strip in self.strips}
        self.ids = " ".join(strip.id for strip in self.strips)
        self.kinds = {strip.kind for strip in self.strips}

    @property
    def one(self) -> Strip | None:
        """The strip, where it is one alone."""
        return self.strips[0] if len(self.strips) == 1 else None

    @cached_property
    def routes(self) -> list[Route]:
        """Routes that leave the strips."""
        return [route for route in self.template.routes if route.from_strip in self.known]

    @cached_property
    def facts(self) -> list[tuple[str, str]]:
        """A name and its values, most frequent first; facts without a value are left out."""
        names = {strip.id: strip.name for strip in self.template.strips}
        sections = {section.id: section.name for section in self.template.sections}
        goes = [names[route.to] for route in self.routes if route.kind in ("feed", "midi", "tie")]
        sends = [names[route.to] for route in self.routes if route.kind == "send"]
        found = (
            ("Kind", _counted(strip.kind for strip in self.strips)),
            ("Section", _counted(sections[strip.section] for strip in self.strips if strip.section)),
            ("Goes to", _counted(goes)),
            ("Sends", _counted(sends)),
            ("Tags", _counted(tag for strip in self.strips for tag in strip.tags)),
            ("Likely peak", self._likely_peaks()),
        )
        return [(name, words) for name, words in found if words]

    def _likely_peaks(self) -> str:
        levels, index = self.space.analysis.levels, self.space.graph.index
        numbers = [index[strip.id] for strip in self.strips]
        stages = (levels.post[number] for number in numbers if levels.sounds(number))
        peaks = sorted(likely_db(stage) for stage in stages if stage is not None)
        if not peaks:
            return ""
        low, high = words_db(peaks[0]), words_db(peaks[-1])
        return f"{high} dBFS" if low == high else f"{low} to {high} dBFS"

    # what forms choose from

    @cached_property
    def destinations(self) -> list[Strip]:
        """Sums and ends that strips may feed."""
        able = (s for s in self.template.strips if s.kind in DESTINATIONS and s.id not in self.known)
        return sorted(able, key=lambda strip: strip.id not in self._fed_by_section)

    @cached_property
    def _fed_by_section(self) -> set[str]:
        """Where strips of the same sections go."""
        sections = {strip.section for strip in self.strips if strip.section}
        beside = {strip.id for strip in self.template.strips if strip.section in sections}
        return {route.to for route in self.template.routes if route.kind == "feed" and route.from_strip in beside}

    @cached_property
    def effects_first(self) -> list[Strip]:
        """Destinations of sends: returns first."""
        return sorted(self.destinations, key=lambda strip: strip.kind != "return")

    @cached_property
    def ends(self) -> list[Strip]:
        """Other strips with sound."""
        return [strip for strip in self.template.strips if strip.id not in self.known and strip.kind != "midi"]

    @cached_property
    def instruments(self) -> list[Strip]:
        return [strip for strip in self.template.strips if strip.kind == "instrument"]

    @cached_property
    def played(self) -> list[Strip]:
        """Instruments that the strips play."""
        to = {route.to for route in self.routes if route.kind == "midi"}
        return [strip for strip in self.instruments if strip.id in to]

    @cached_property
    def fed(self) -> list[Strip]:
        """Strips that they feed or send to."""
        to = {route.to for route in self.routes if route.kind in ("feed", "send")}
        return [strip for strip in self.template.strips if strip.id in to]

    @cached_property
    def fed_inserts(self) -> Pairs:
        """Inserts of the strips that they feed."""
        to = {route.to for route in self.routes if route.kind == "feed"}
        hosts = (strip for strip in self.template.strips if strip.id in to)
        return [(insert.id, f"{insert.title} of {strip.name}") for strip in hosts for insert in strip.inserts]

    @cached_property
    def triggers(self) -> list[Strip]:
        """Possible keys: strips that are triggers first, then any strip with sound."""
        able = (strip for strip in self.template.strips if strip.id not in self.known and strip.traits.carries_sound)
        return sorted(able, key=lambda strip: "trigger" not in strip.tags)

    @cached_property
    def keyable(self) -> Pairs:
        """Inserts with a key input."""
        return [
            (f"{strip.id}/{insert.id}", f"{strip.name}: {insert.title}")
            for strip in self.template.strips
            for insert in strip.inserts
            if insert.traits.can_be_keyed
        ]

    @cached_property
    def chains(self) -> Pairs:
        """Strips with inserts, by the ids of those."""
        hosts = (strip for strip in self.template.strips if strip.inserts)
        return [(" ".join(insert.id for insert in strip.inserts), strip.name) for strip in hosts]

    @cached_property
    def sections(self) -> tuple[Section, ...]:
        return self.template.sections

    @cached_property
    def effects(self) -> list[str]:
        """Types of their inserts that may become a return."""
        types = {insert.type for strip in self.strips for insert in strip.inserts if insert.traits.decorrelates}
        return sorted(types)

    @cached_property
    def stem_parts(self) -> Pairs:
        """Stems that a composite may sum."""
        return [(stem.id, stem.name) for stem in self.template.stems if stem.role == "stem"]

    @property
    def next_colour(self) -> str:
        """The colour that a new section would get."""
        return next_colour(self.template.sections)


# Lists that a form may complete from, where they have more entries than a list shows.
COMPLETED = (
    "destinations",
    "effects_first",
    "ends",
    "instruments",
    "played",
    "fed",
    "triggers",
    "keyable",
    "chains",
    "sections",
)


def _counted(values: Iterable[str]) -> str:
    """“3 audio, 2 midi”; the value alone where all have it."""
    counts = Counter(values).most_common()
    if len(counts) == 1:
        return counts[0][0]
    return joined([f"{value} ({count})" if count > 1 else value for value, count in counts], most=4)
