"""“Correct the map”: the measured value, applied to the model as an edit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from lattice.bench.prints.codes import OFFSET
from lattice.bench.prints.differences import DELAY, LEVEL, MISSING, POLARITY, UNEXPECTED
from lattice.checks.finding import Finding
from lattice.errors import EditError
from lattice.model.document import Route, Strip, Template, actual_latency_samples
from lattice.model.edit_step import EditStep
from lattice.model.units import words_db


def edit_of(template: Template, findings: Sequence[Finding], suspects: Sequence[str]) -> tuple[str, EditStep]:
    """The edit that sets the map to the measured value at the likeliest suspect.

    Parameters
    ----------
    template
        The current version.
    findings, suspects
        Of one matter.

    Returns
    -------
    tuple of (str, EditStep)
        The words of the button, and the edit: a gain, a latency, a polarity, a route that is off or that is there.

    Raises
    ------
    EditError
        If no edit of the map expresses it, or the suspect no longer exists.
    """
    if not suspects:
        raise EditError("no suspect is known")
    routes = {route.id: route for route in template.routes}
    strips = {strip.id: strip for strip in template.strips}
    # The largest part; the rest is its effect on the sum of paths.
    count = Counter(one.code for one in findings)
    first = max(findings, key=lambda one: (one.code == UNEXPECTED, count[one.code], abs(_change(one))))
    name = suspects[0]
    if first.code == UNEXPECTED:
        return _fed(strips, routes, suspects)
    if name in routes:
        return _of_route(strips, routes[name], first)
    if name in strips:
        return _of_strip(strips[name], first)
    for strip in template.strips:
        if any(insert.id == name for insert in strip.inserts):
            return _of_strip(strip, first)
    raise EditError(f"{name} was removed from the template")


def _change(finding: Finding) -> float:
    figures = finding.figures
    return (figures.get("read_db") or 0.0) - (figures.get("expected_db") or 0.0)


def _fed(strips: dict[str, Strip], routes: dict[str, Route], suspects: Sequence[str]) -> tuple[str, EditStep]:
    closed = routes.get(suspects[0])
    if closed is not None:
        changes = {"enabled": True} if not closed.enabled else {"gain_db": 0.0}
        return f"Enable {_named(strips, closed)}", EditStep("change_route", {"route": closed.id, "changes": changes})
    known = [one for one in suspects if one in strips]
    if len(known) < 2:
        raise EditError("its path is not known")
    route = {"kind": "feed", "from": known[0], "to": known[1]}
    return f"Add the feed {strips[known[0]].name} → {strips[known[1]].name}", EditStep("add_route", {"route": route})


def _of_route(strips: dict[str, Strip], route: Route, found: Finding) -> tuple[str, EditStep]:
    named = _named(strips, route)
    if found.code == MISSING:
        return f"Disable {named}", EditStep("change_route", {"route": route.id, "changes": {"enabled": False}})
    if found.code == LEVEL:
        gain_db = round((route.gain_db or 0.0) + _change(found), 1)
        return (
            f"{named} at {words_db(gain_db, plus=True)} dB",
            EditStep("change_route", {"route": route.id, "changes": {"gain_db": gain_db}}),
        )
    if found.code in (DELAY, OFFSET):
        raise EditError(f"{named} has no latency on the map; check the strips at its ends")
    return _of_strip(strips[route.from_strip], found)


def _of_strip(strip: Strip, found: Finding) -> tuple[str, EditStep]:
    if found.code == MISSING:
        return f"Mute {strip.name}", _strip_step(strip, {"mute": True})
    if found.code == POLARITY:
        return f"Invert polarity of {strip.name}", _strip_step(strip, {"invert": not strip.invert})
    if found.code == LEVEL:
        fader_db = round((strip.fader_db or 0.0) + _change(found), 1)
        return f"{strip.name}: fader at {words_db(fader_db, plus=True)} dB", _strip_step(strip, {"fader_db": fader_db})
    if found.code in (DELAY, OFFSET):
        return _later(strip, int(found.figures.get("late_samples") or found.figures.get("offset_samples") or 0))
    raise EditError("wrong channels must be fixed by hand")


def _later(strip: Strip, late: int) -> tuple[str, EditStep]:
    """As measured latency: of the last insert, else of the source itself."""
    if strip.inserts:
        insert = strip.inserts[-1]
        stated = actual_latency_samples(insert) + late
        if stated < 0:
            raise EditError(f"the latency of {insert.title} on {strip.name} cannot be below 0")
        changes = {"measured_latency_samples": stated}
        words = f"{insert.title} on {strip.name}: {stated} samples measured"
        return words, EditStep("change_insert", {"insert": insert.id, "changes": changes})
    if strip.kind in ("instrument", "audio"):
        stated = actual_latency_samples(strip) + late
        if stated < 0:
            raise EditError(f"the latency of {strip.name} cannot be below 0")
        return f"{strip.name}: {stated} samples measured", _strip_step(strip, {"measured_latency_samples": stated})
    raise EditError(f"{strip.name} has no insert with latency")


def _strip_step(strip: Strip, changes: dict[str, object]) -> EditStep:
    return EditStep("change_strip", {"strip": strip.id, "changes": changes})


def _named(strips: dict[str, Strip], route: Route) -> str:
    return f"{strips[route.from_strip].name} → {strips[route.to].name}"
