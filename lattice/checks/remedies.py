"""Remedies that several checks offer: feed a strip to its bus, open what blocks a path, trim a sum."""

from __future__ import annotations

from lattice.analysis import Analysis
from lattice.checks.finding import Remedy
from lattice.graph.origin import NO_OUTLET
from lattice.graph.paths import Blocker, Path
from lattice.levels.levels import Levels
from lattice.levels.trims import trimmed
from lattice.model.edit_step import EditStep


def feed_remedies(analysis: Analysis, strip: int, outlet: int = NO_OUTLET) -> tuple[Remedy, ...]:
    """Feed a strip to the bus of its section, or of the nearest section around it."""
    source = analysis.strip(strip)
    section = analysis.sections.get(source.section or "")
    while section is not None and (section.bus is None or section.bus == source.id):
        section = analysis.sections.get(section.parent or "")
    if section is None or section.bus is None:
        return ()
    bus = analysis.graph.index[section.bus]
    if not analysis.may_feed(strip, bus, outlet) or leads_to(analysis, bus, strip):
        return ()
    if not analysis.could_be_heard.fed[bus]:
        return ()  # the bus is heard nowhere itself: what is wrong lies behind it
    route = {"kind": "feed", "from": source.id, "to": section.bus}
    if outlet >= 0:
        route["from_outlet"] = analysis.graph.outlets[outlet][1].id
    return (Remedy(f"Feed it to {analysis.name(bus)}", (EditStep("add_route", {"route": route}),)),)


def leads_to(analysis: Analysis, start: int, end: int) -> bool:
    """Whether a feed back from `end` to `start` would close a loop."""
    return end in analysis.downstream(start)


UNBLOCK: dict[str, tuple[str, dict[str, object]]] = {
    "out-of-service": ("Put {name} into service", {"in_service": True}),
    "mute": ("Unmute {name}", {"mute": False}),
    "fader-off": ("Set the fader of {name} to 0 dB", {"fader_db": 0.0}),
    "not-monitored": ("Let {name} monitor its input", {"monitor": "always"}),
}


def open_remedies(analysis: Analysis, path: Path) -> tuple[Remedy, ...]:
    """One remedy that opens every blocker of a path; none where one of them cannot be opened by an edit."""
    found = [_opening(analysis, blocker) for blocker in path.blockers]
    openings = [opening for opening in found if opening is not None]
    if not openings or len(openings) < len(found):
        return ()
    labels = list(dict.fromkeys(label for label, _step in openings))
    label = labels[0] if len(labels) == 1 else f"{labels[0]} and open {len(labels) - 1} more on the way"
    return (Remedy(label, tuple(step for _label, step in openings)),)


def _opening(analysis: Analysis, blocker: Blocker) -> tuple[str, EditStep] | None:
    if blocker.route is not None:
        changes: dict[str, object] = {"enabled": True} if blocker.kind == "disabled" else {"gain_db": 0.0}
        label = "Enable the route" if blocker.kind == "disabled" else "Set the route to 0 dB"
        return label, EditStep("change_route", {"route": blocker.route, "changes": changes})
    strip = analysis.graph.index[blocker.strip]
    if blocker.kind == "outlet-closed" or (blocker.kind == "not-monitored" and analysis.graph.passes_input[strip]):
        return None
    words, changes = UNBLOCK[blocker.kind]
    return words.format(name=analysis.name(strip)), EditStep(
        "change_strip", {"strip": blocker.strip, "changes": changes}
    )


def trim_steps(levels: Levels, number: int, change_db: float) -> tuple[EditStep, ...]:
    """The same change on everything that brings sound to a sum: its balance is kept."""
    return tuple(
        EditStep("change_route", {"route": route, "changes": {"gain_db": gain_db}})
        for route, gain_db in trimmed(levels, number, change_db)
    )
