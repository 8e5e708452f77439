"""The document of a session template as frozen structs: every field, unit and default of the format.

Lists are tuples and nothing changes in place: an edit makes a new document that shares the unchanged parts. `machine`
None means the first machine; `source` UNSET means the usual level of a source.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import msgspec
from msgspec import UNSET, Meta, UnsetType, field

from lattice.model import insert_types, strip_kinds
from lattice.model.insert_types import InsertTraits, InsertType
from lattice.model.layouts import LAYOUTS
from lattice.model.route_kinds import RouteKind
from lattice.model.strip_kinds import StripKind, StripTraits

FORMAT = "intact-lattice.template"
# Far above any mixing level; below the size that would fill the memory of a small server.
MAX_STRIPS = 100_000
MAX_ROUTES = 1_000_000

Id = str  # its form is checked by validation, all ids at once: a pattern here would cost half of decoding
Name = Annotated[str, Meta(min_length=1, max_length=120)]
# Names come from other programs, some of which allow whole sentences.
LONGEST_LABEL = 500
Label = Annotated[str, Meta(min_length=1, max_length=LONGEST_LABEL)]
Text = Annotated[str, Meta(max_length=100_000)]
Colour = Annotated[str, Meta(pattern=r"^#[0-9a-fA-F]{6}$")]
if TYPE_CHECKING:
    Layout = str
else:
    Layout = Literal[LAYOUTS]
Timecode = Annotated[str, Meta(pattern=r"^\d\d:[0-5]\d:[0-5]\d[:;]\d\d$")]
Date = Annotated[str, Meta(pattern=r"^\d{4}-\d\d-\d\d$")]
Samples = Annotated[int, Meta(ge=0, le=1_000_000_000)]
Channel = Annotated[int, Meta(ge=1, le=1024)]
MidiChannel = Annotated[int, Meta(ge=1, le=16)]
MidiPort = Annotated[int, Meta(ge=1, le=1024)]
Count = Annotated[int, Meta(ge=0, le=1024)]
Pan = Annotated[float, Meta(ge=-1, le=1)]
Share = Annotated[float, Meta(ge=0, le=1)]
NotNegative = Annotated[float, Meta(ge=0)]
Positive = Annotated[float, Meta(gt=0)]
MOST_DB = 200  # up or down, of any stated level
Decibels = Annotated[float, Meta(ge=-MOST_DB, le=MOST_DB)]
SampleRate = Annotated[int, Meta(ge=8000, le=768_000)]

Tap = Literal["pre-insert", "pre-fader", "post-fader"]
FrameRate = Literal["23.976", "24", "25", "29.97", "29.97df", "30"]
# The laws that mixers and hosts offer (common practice).
PAN_LAWS_DB = (0.0, -2.5, -3.0, -4.5, -6.0)

KNOWN_TAGS = (
    "spare",
    "backup",
    "trigger",
    "click",
    "reference",
    "guide",
    "talkback",
    "pop",
)


OPEN_END = "open-end"  # of a strip of a block whose routes were left open; means nothing once one leaves it


class Piece(msgspec.Struct, frozen=True, forbid_unknown_fields=True, gc=False):
    """Base of every piece of the document."""


class Source(Piece, frozen=True, kw_only=True):
    """Level of a strip's source or recording: its highest sample peak and its level over time, RMS, both in dBFS."""

    peak_dbfs: Decibels = -6.0
    rms_dbfs: Decibels = -18.0


USUAL_SOURCE = Source()


class Marker(Piece, frozen=True, kw_only=True):
    """A named place in time, at a bar."""

    name: Label
    bar: int


class TempoEvent(Piece, frozen=True, kw_only=True):
    """The tempo from a bar on."""

    bar: int
    bpm: Annotated[float, Meta(gt=0, le=100_000)]


class Timeline(Piece, frozen=True, kw_only=True):
    """The start of the timeline, the distance of the sync pop before it, tempo, markers and end of the programme."""

    start_timecode: Timecode | None = None
    first_bar: int = 1
    end_bar: int | None = None  # the last bar of the programme
    pop_lead_s: float = 2.0
    tempo: tuple[TempoEvent, ...] = ()  # bars rise; empty: tempo_bpm throughout
    markers: tuple[Marker, ...] = ()


class Compensation(Piece, frozen=True, kw_only=True):
    """The host's plug-in delay compensation."""

    mode: Literal["full", "off"] = "full"
    limit_samples: Samples | None = None
    covers_keys: bool = True
    covers_ties: bool = True
    covers_prints: bool = True


class Profile(Piece, frozen=True, kw_only=True):
    """The requirements of the delivery."""

    name: str = "House"
    sample_rate_hz: SampleRate = 48000
    frame_rate: FrameRate | None = None
    layouts: tuple[Layout, ...] = ("stereo",)
    loudness_lufs: Decibels | None = None
    loudness_tolerance_lu: Decibels = 1.0
    true_peak_dbtp: Decibels = -1.0
    mix_headroom_db: Decibels = 6.0
    operating_level_dbfs: Decibels = -18.0
    operating_window_db: Decibels = 9.0
    monitor_limit_ms: NotNegative = 15.0
    key_tolerance_ms: NotNegative = 1.0
    total_latency_limit_ms: NotNegative | None = None


class Machine(Piece, frozen=True, kw_only=True):
    """A computer or a rack of outside gear with its physical channels, its latencies and its MIDI ports."""

    id: Id
    name: Label
    kind: Literal["computer", "outboard"] = "computer"
    inputs: Count = 8
    outputs: Count = 8
    input_names: dict[str, str] = {}
    output_names: dict[str, str] = {}
    input_latency_samples: Samples = 0
    output_latency_samples: Samples = 0
    sample_rate_hz: SampleRate | None = None
    tie_latency_samples: Samples = 0
    memory_mb: NotNegative | None = None
    midi_ports: Count = 1


MAIN_MACHINE = Machine(id="main", name="Main computer")


class MidiIn(Piece, frozen=True, kw_only=True):
    """A port of an instrument and its channels."""

    ports: MidiPort = 1
    channels: Literal["all"] | tuple[MidiChannel, ...] = "all"


class Outlet(Piece, frozen=True, kw_only=True):
    """One output of an instrument that has several; the main one enters the instrument's own chain."""

    id: Id
    name: Text = ""
    layout: Layout = "stereo"
    open: bool = True
    main: bool = False
    source: Source | UnsetType | None = UNSET


SIDES = ("L", "R")  # of a stereo outlet, in the order of its channels


class Part(Piece, frozen=True, kw_only=True):
    """One sound of an instrument: its notes, its outlet, and the side of a stereo outlet that is its own."""

    id: Id
    name: Text = ""
    port: MidiPort = 1
    channel: MidiChannel | None = None
    note: Annotated[int, Meta(ge=0, le=127)] | None = None
    outlet: str | None = None
    side: Literal["L", "R"] | None = None


class Insert(Piece, frozen=True, kw_only=True):
    """A plug-in or outside device in the chain of a strip. The properties of its type are in `insert_types`."""

    id: Id
    name: Text = ""
    type: InsertType = "other"
    maker: Text = ""
    version: Text = ""
    state: Literal["on", "bypassed", "unloaded"] = "on"
    latency_samples: Samples | None = 0  # None: not stated, counts as 0
    measured_latency_samples: Samples | None = None
    layout_in: Layout | None = None
    layout_out: Layout | None = None
    gain_db: Decibels = 0.0
    wet: Share = 1.0
    threshold_db: Decibels | None = None
    ratio: Positive | None = None
    ceiling_db: Decibels | None = None
    key: Literal["none", "internal", "external"] = "none"
    attack_ms: NotNegative | None = None
    release_ms: NotNegative | None = None
    low_cut_hz: NotNegative | None = None
    high_cut_hz: NotNegative | None = None
    delay_ms: NotNegative | None = None
    pre_delay_ms: NotNegative | None = None
    feedback: NotNegative = 0.0
    io_out: tuple[Channel, ...] | None = None
    io_in: tuple[Channel, ...] | None = None
    memory_mb: NotNegative | None = None
    # of a panner: for each input the output channel it goes to; None spreads it over all of them
    positions: tuple[str | None, ...] | None = None

    def layouts(self, before: str) -> tuple[str, str]:
        """Layout in and layout out behind a stage of a layout; one that is not stated is unchanged."""
        layout_in = self.layout_in or before
        return layout_in, self.layout_out or layout_in

    @property
    def has_channels(self) -> bool:
        """It may change channels: it states a layout or positions."""
        return bool(self.layout_in or self.layout_out or self.positions)

    @property
    def title(self) -> str:
        """Its label: its name, or its type if it has none."""
        return self.name or self.type

    @property
    def reported_samples(self) -> int:
        """The latency it reports to the host; 0 where none is stated."""
        return self.latency_samples or 0

    @property
    def traits(self) -> InsertTraits:
        """The properties of its type."""
        return insert_types.TRAITS[self.type]


class SectionSend(Piece, frozen=True, kw_only=True):
    """A send that strips of a section start with."""

    to: str
    gain_db: Decibels | None = -10.0
    tap: Tap = "post-fader"


class SectionDefaults(Piece, frozen=True, kw_only=True):
    """What strips that come into a section take from it: new ones, and moved ones on request."""

    layout: Layout | None = None
    to: str | None = None  # None: the bus of the section
    inserts: tuple[Insert, ...] = ()  # patterns: copies get ids of their own
    sends: tuple[SectionSend, ...] = ()


class Section(Piece, frozen=True, kw_only=True):
    """A group of strips, which may lie in another section and may have a bus of its own."""

    id: Id
    name: Label
    colour: Colour | None = None
    parent: str | None = None
    bus: str | None = None
    private: bool = False  # cue and listening: its sources are kept from the main output
    defaults: SectionDefaults = SectionDefaults()


class Strip(Piece, frozen=True, kw_only=True):
    """One strip of the mixer, of any kind. The properties of its kind are in `strip_kinds`."""

    id: Id
    name: Label
    kind: StripKind
    layout: Layout = "mono"
    section: str | None = None
    machine: str | None = None
    colour: Colour | None = None
    note: Text = ""
    tags: tuple[Annotated[str, Meta(min_length=1, max_length=60)], ...] = ()
    in_service: bool = True
    mute: bool = False
    invert: bool = False
    fader_db: Decibels | None = 0.0
    pan: Pan = 0.0
    monitor: Literal["never", "when-armed", "always"] = "never"
    armed: bool = False
    records: Literal["in", "pre"] = "in"
    latency_samples: Samples = 0
    measured_latency_samples: Samples | None = None
    source: Source | UnsetType | None = UNSET
    io: tuple[Channel, ...] | None = None
    midi: MidiIn | None = None
    memory_mb: NotNegative | None = None
    outlets: tuple[Outlet, ...] = ()
    parts: tuple[Part, ...] = ()
    inserts: tuple[Insert, ...] = ()

    @property
    def traits(self) -> StripTraits:
        """The properties of its kind."""
        return strip_kinds.TRAITS[self.kind]


class Route(Piece, frozen=True, kw_only=True):
    """A connection from a strip (or one of its outlets) to another strip or to the key input of one of its inserts."""

    id: Id
    kind: RouteKind
    from_strip: str = field(name="from")
    from_outlet: str | None = None
    tap: Tap = "post-fader"
    to: str
    to_insert: str | None = None
    gain_db: Decibels | None = 0.0
    pan: Pan = 0.0
    channels: tuple[tuple[Channel, Channel], ...] | None = None
    enabled: bool = True
    automated: bool = False
    port: MidiPort | None = None
    channel: MidiChannel | None = None


class Stem(Piece, frozen=True, kw_only=True):
    """A deliverable, one file: a stem, a mix, or a composite summed from others."""

    id: Id
    name: Label
    role: Literal["stem", "mix", "composite"] = "stem"
    set: str = "main"
    of: tuple[str, ...] = ()
    returns: Literal["own", "all"] = "own"
    strip: str | None = None
    tap: Tap = "post-fader"
    print: str | None = None
    layout: Layout = "stereo"
    mix_headroom_db: Decibels | None = None
    true_peak_dbtp: Decibels | None = None


class Choice(Piece, frozen=True, kw_only=True):
    """Members of which only so many are meant to sound at a time: strips, outlets, or sections as “section:ID”."""

    id: Id
    name: Label
    members: tuple[str, ...] = ()
    sounding: Count = 1
    by: Literal["turn", "state"] | UnsetType = UNSET  # left out: turn where a member is a section, else state


MOST_VIEWS = 9  # one key each


class MapView(Piece, frozen=True, kw_only=True):
    """A named view of the map: collapsed sections, hidden kinds of strips and routes, position and theme."""

    name: Name
    folded: tuple[str, ...] = ()  # unknown sections are ignored
    hidden_kinds: tuple[StripKind, ...] = ()
    hidden_routes: tuple[RouteKind, ...] = ()
    at: tuple[float, float, Annotated[float, Meta(gt=0, le=10)]] | None = None  # x and y in px, and the scale
    dark: bool | None = None  # None: as the user has it


RuleKind = Literal[
    "passes", "reaches", "lands-on", "pre-fader", "ducked-by", "not-ducked-by", "avoids", "isolated"
]  # fmt: skip


class Rule(Piece, frozen=True, kw_only=True):
    """A promise about routing that holds for all strips its selectors name."""

    id: Id
    name: Label
    kind: RuleKind
    sources: tuple[str, ...] = ()
    through: tuple[str, ...] = ()
    to: tuple[str, ...] = ()
    channels: tuple[str | int, ...] | None = None


class Waiver(Piece, frozen=True, kw_only=True):
    """An accepted finding: its fingerprint, with name, date and reason."""

    fingerprint: str
    reason: Text = ""
    by: str = ""
    on: Date | None = None


class Template(Piece, frozen=True, kw_only=True):
    """One session template. Ids are unique in their list, insert ids in the document."""

    format: Literal["intact-lattice.template"] = "intact-lattice.template"
    version: Literal[1] = 1
    name: Name
    note: Text = ""
    sample_rate_hz: SampleRate = 48000
    buffer_samples: Annotated[int, Meta(ge=1, le=1_000_000)] = 256
    tempo_bpm: Annotated[float, Meta(gt=0, le=100_000)] = 120.0
    frame_rate: FrameRate | None = None
    timeline: Timeline = Timeline()
    info: dict[str, str] = {}
    pan_law_db: float = -3.0
    compensation: Compensation = Compensation()
    profile: Profile = Profile()
    machines: tuple[Machine, ...] = (MAIN_MACHINE,)
    sections: tuple[Section, ...] = ()
    strips: tuple[Strip, ...] = ()
    routes: tuple[Route, ...] = ()
    stems: tuple[Stem, ...] = ()
    choices: tuple[Choice, ...] = ()
    rules: tuple[Rule, ...] = ()
    waivers: tuple[Waiver, ...] = ()
    views: tuple[MapView, ...] = ()


# The parts of a document that are lists of things with an id, in the order they are written.
LISTS = ("machines", "sections", "strips", "routes", "stems", "choices", "rules")


def actual_latency_samples(piece: Insert | Strip) -> int:
    """The actual latency of an insert or a source: measured if known, else as reported, else 0."""
    return (piece.latency_samples or 0) if piece.measured_latency_samples is None else piece.measured_latency_samples


def main_outlet(strip: Strip) -> Outlet | None:
    """The outlet that enters the instrument's own chain: the one that is marked, else the first, else none."""
    return next((outlet for outlet in strip.outlets if outlet.main), strip.outlets[0] if strip.outlets else None)


def outlet_of_part(strip: Strip, part: Part) -> Outlet | None:
    """The outlet of a part: its own, else the main one."""
    return next((outlet for outlet in strip.outlets if outlet.id == part.outlet), main_outlet(strip))


def is_split(strip: Strip, outlet: Outlet | None) -> bool:
    """Return whether parts share an outlet as left and right."""
    return {part.side for part in strip.parts if part.side and outlet_of_part(strip, part) is outlet} == set(SIDES)


def layout_of_part(strip: Strip, part: Part) -> str:
    """The layout a part comes out in: its outlet's, of an instrument without outlets its own."""
    outlet = outlet_of_part(strip, part)
    return strip.layout if outlet is None else outlet.layout


def machine_id(template: Template, strip: Strip) -> str:
    """The machine a strip runs on: its own, else the first of the template, which is the main one."""
    return strip.machine or template.machines[0].id


def source_of(strip: Strip, outlet: Outlet | None = None, assumed: Source = USUAL_SOURCE) -> Source | None:
    """The source of a strip, or of one of its outlets.

    Parameters
    ----------
    strip
        Any strip.
    outlet
        One of its outlets; None for the strip's own chain.
    assumed
        The level of a source that states none.

    Returns
    -------
    Source or None
        None where it plays nothing: by its kind, as a backup, or because its source is null. An outlet's own `source`
        counts first; the main outlet takes the strip's source, the others the usual one (docs/reference/model.md,
        *Sources*).
    """
    if strip.kind not in strip_kinds.PLAYING or "backup" in strip.tags:
        return None
    if outlet is not None and outlet.source is not UNSET:
        return outlet.source
    if strip.source is None:
        return None
    if strip.source is UNSET or (outlet is not None and outlet is not main_outlet(strip)):
        return assumed
    return strip.source


def plays(strip: Strip) -> bool:
    """Return whether the strip's own chain is a source by its kind, its tags and its main outlet."""
    return source_of(strip, main_outlet(strip)) is not None
