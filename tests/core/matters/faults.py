"""Sound templates, and the faults of a long job that are put into them one by one."""

from __future__ import annotations

from random import Random

from lattice.edits import apply_steps
from lattice.errors import DocumentError
from lattice.generate import generate
from lattice.model.document import Template
from lattice.model.edit_step import EditStep

FAULTS = (
    "mute a bus",
    "disable a route",
    "lose a feed",
    "feed the mix as well",
    "send the bus too",
    "close a loop",
    "a hot source",
    "unreported latency",
    "a dry return",
    "a print fed by others",
)


def faulty(seed: int, count: int) -> tuple[Template, Template]:
    """A generated template, and the same with so many faults of one source of chance."""
    chance = Random(seed)  # noqa: S311 - for repeatable faults, no secret
    sound = generate(60 + seed % 40, seed)
    made = sound
    for _ in range(count):
        made = with_fault(made, chance.choice(FAULTS), chance)
    return sound, made


def with_fault(made: Template, fault: str, chance: Random) -> Template:
    """The template with one more fault; unchanged if the fault is impossible."""
    of_kind = {
        kind: [strip for strip in made.strips if strip.kind == kind] for kind in ("audio", "bus", "return", "print")
    }
    track = chance.choice([strip for strip in of_kind["audio"] if strip.section])
    bus = chance.choice([strip for strip in of_kind["bus"] if strip.section])
    hall = chance.choice(of_kind["return"])
    feeds = [route for route in made.routes if route.kind == "feed"]
    plugin = chance.choice([insert for strip in made.strips for insert in strip.inserts])
    new = {"kind": "send", "gain_db": -6.0}
    steps = {
        "mute a bus": EditStep("change_strip", {"strip": bus.id, "changes": {"mute": True}}),
        "disable a route": EditStep("change_route", {"route": chance.choice(feeds).id, "changes": {"enabled": False}}),
        "lose a feed": EditStep("remove_routes", {"routes": [chance.choice(feeds).id]}),
        "feed the mix as well": EditStep("add_route", {"route": {"kind": "feed", "from": track.id, "to": "mix"}}),
        "send the bus too": EditStep("add_route", {"route": {**new, "from": bus.id, "to": hall.id}}),
        "close a loop": EditStep("add_route", {"route": {**new, "from": "mix", "to": bus.id}}),
        "a hot source": EditStep(
            "change_strip", {"strip": track.id, "changes": {"source": {"peak_dbfs": 0.0, "rms_dbfs": -3.0}}}
        ),
        "unreported latency": EditStep(
            "change_insert", {"insert": plugin.id, "changes": {"measured_latency_samples": 2048}}
        ),
        "a dry return": EditStep("change_insert", {"insert": hall.inserts[0].id, "changes": {"wet": 0.5}}),
        "a print fed by others": EditStep(
            "add_route", {"route": {"kind": "feed", "from": track.id, "to": of_kind["print"][0].id}}
        ),
    }
    try:
        return apply_steps(made, [steps[fault]])
    except DocumentError:
        return made
