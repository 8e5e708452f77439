"""Actions on selected strips: found by name, those that fit first. Each opens its few fields, or acts at once.

A new action is a row here, its fields in `templates/editor/actions/`, and its test.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field

from lattice.model.strip_kinds import PLAYING
from web.editor.selection import Selection

LIKELY, POSSIBLE, NO = 2, 1, 0
Fits = Callable[[Selection], int]


@dataclass(frozen=True)
class Action:
    """One action.

    Attributes
    ----------
    name, label
        Of its address, and in the list.
    edit
        The edit whose preview it asks for; none for one that opens a page or a panel.
    fits
        Whether it is likely, possible or no use for a selection.
    words
        Other words that it is found by.
    values
        Of an action without fields: what it asks for at once.
    page, panel
        The page or side panel that it opens with the strips.
    """

    name: str
    label: str
    edit: str = ""
    fits: Fits = field(default=lambda _chosen: POSSIBLE)
    words: str = ""
    values: dict[str, str] | None = None
    page: str = ""
    panel: str = ""

    @property
    def form(self) -> str:
        """The template of its fields."""
        return f"editor/actions/{self.name}.html"

    @property
    def fixed(self) -> str:
        """Its values for the attribute of a button."""
        return json.dumps(self.values or {})


def _has(*kinds: str) -> Fits:
    """Likely where all strips are of these kinds, possible where one is."""

    def fits(chosen: Selection) -> int:
        if chosen.kinds <= set(kinds):
            return LIKELY
        return POSSIBLE if chosen.kinds & set(kinds) else NO

    return fits


def _where(holds: Callable[[Selection], object], then: int = LIKELY) -> Fits:
    """Of use where something holds."""
    return lambda chosen: then if holds(chosen) else NO


def _carries_sound(chosen: Selection) -> bool:
    return any(strip.traits.carries_sound for strip in chosen.strips)


SENDING = ("audio", "instrument", "input", "bus", "return", "master")
ACTIONS: tuple[Action, ...] = (
    Action("feed", "Feed to…", "connect_many", _has(*SENDING), "route destination output bus goes"),
    Action("send", "Send to…", "connect_many", _has(*SENDING), "effect reverb headphones cue aux"),
    Action("play", "Play instrument…", "connect_many", _has("midi"), "MIDI notes channel"),
    Action("number-midi", "Number MIDI channels…", "number_midi", _where(lambda c: c.played), "port"),
    Action("rename", "Rename…", "rename", _where(lambda c: c.strips), "number pattern name"),
    Action("section", "Move to section…", "move_and_refeed", _where(lambda c: c.strips), "group folder"),
    Action("outlets", "Strips for its outlets…", "outlet_set", _where(lambda c: c.one and c.one.kind == "instrument")),
    Action("notes", "MIDI strips…", "note_set", _where(lambda c: c.one and c.one.kind == "instrument"), "play names"),
    Action(
        "dissolve",
        "Remove bus, keep its strips routed…",
        "dissolve_bus",
        _where(lambda c: c.one and c.one.kind == "bus"),
    ),
    Action("duck", "Duck by…", "duck", _where(_carries_sound), "side-chain key compressor trigger"),
    Action("insert", "Add insert…", "add_inserts", _where(_carries_sound), "plug-in processor eq compressor"),
    Action("deliver", "Deliver as…", "deliver", _where(_carries_sound), "stem mix composite print"),
    Action("bus", "Put a bus between…", "insert_bus", _where(lambda c: c.fed), "group submix"),
    Action("channels", "Number channels…", "number_channels", _has("input", "output"), "physical in out"),
    Action("tags", "Tags…", "change_strips", words="intent spare backup click"),
    Action("fader", "Faders…", "change_strips", _where(_carries_sound, POSSIBLE), "level gain volume"),
    Action("levels", "Source levels…", "change_sources", _where(lambda c: c.kinds & PLAYING, POSSIBLE), "peak rms"),
    Action("duplicate", "Duplicate…", "duplicate", words="copy times"),
    Action("untie", "Remove routes…", "untie", _where(lambda c: c.routes, POSSIBLE), "disconnect feeds sends keys"),
    Action("pairs", "Route one to one…", "connect_pairwise", words="pairs ties each"),
    Action(
        "landing", "Number the channels they feed…", "number_routes", _where(lambda c: c.fed, POSSIBLE), "first channel"
    ),
    Action(
        "key",
        "Key an insert…",
        "connect_many",
        _where(lambda c: _carries_sound(c) and c.keyable, POSSIBLE),
        "side-chain",
    ),
    Action(
        "copy-inserts", "Copy inserts from…", "batch_inserts", _where(lambda c: c.chains, POSSIBLE), "chain plug-ins"
    ),
    Action(
        "inserts",
        "Switch inserts…",
        "set_inserts",
        _where(lambda c: any(s.inserts for s in c.strips), POSSIBLE),
        "bypass on unloaded",
    ),
    Action(
        "effect",
        "Effect becomes a return…",
        "effect_to_return",
        _where(lambda c: c.effects, POSSIBLE),
        "reverb delay send",
    ),
    Action(
        "outboard",
        "Outboard insert…",
        "outboard_insert",
        _where(lambda c: c.one and c.one.traits.carries_sound, POSSIBLE),
        "hardware device",
    ),
    Action("layout", "Layout…", "change_strips", words="mono stereo channels width"),
    Action(
        "machine",
        "Move to machine…",
        "move_to_machine",
        _where(lambda c: len(c.template.machines) > 1, POSSIBLE),
        "computer",
    ),
    Action(
        "choice", "They sound in turn…", "add_choice", _where(lambda c: not c.one, POSSIBLE), "alternate choice songs"
    ),
    Action("colour", "Colour…", "change_strips"),
    Action("colour-by-section", "Colour by section", "colour_by_section", values={}),
    Action("colour-by-tier", "Colour by tier", "colour_by_tier", values={}, words="sources buses returns mix"),
    Action("mute", "Mute", "change_strips", values={"mute": "yes"}),
    Action(
        "unmute",
        "Unmute",
        "change_strips",
        _where(lambda c: any(s.mute for s in c.strips), POSSIBLE),
        values={"mute": "no"},
    ),
    Action(
        "out-of-service",
        "Mark as not in service",
        "change_strips",
        values={"in_service": "no"},
        words="inactive disable off",
    ),
    Action(
        "into-service",
        "Mark as in service",
        "change_strips",
        _where(lambda c: not all(s.in_service for s in c.strips)),
        values={"in_service": "yes"},
    ),
    Action("solo", "Solo preview", panel="solo-panel", words="listen"),
    Action("block", "Save as block…", page="block-new", words="reuse"),
    Action("reduce", "Reduce to these…", page="cut", words="new template extract"),
    Action("remove", "Remove", "remove_strips", values={}, words="delete"),
)
BY_NAME = {action.name: action for action in ACTIONS}


def actions_for(chosen: Selection) -> list[Action]:
    """The actions that are of use for a selection, likely ones first."""
    fitting = [(action.fits(chosen), action) for action in ACTIONS]
    return [action for _fits, action in sorted(fitting, key=lambda one: -one[0]) if _fits]
