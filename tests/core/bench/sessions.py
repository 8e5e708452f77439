"""Random sessions with sections, sends, latencies, dynamics and prints; faults at random places; readings of them."""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any, NamedTuple

from lattice.analysis import Analysis
from lattice.bench.faults import built
from lattice.bench.kit.making import kit_of
from lattice.bench.kit.slots import Kit
from lattice.bench.prints.files import Matched, PrintFiles
from lattice.bench.prints.model import Outs, expected, printed
from lattice.bench.prints.reader import reading_of
from lattice.bench.prints.reading import Reading
from lattice.bench.prints.verdict import Verdict, judge
from lattice.bench.stand_in import cells_of
from lattice.model.document import Template
from tests.build import template


class Mapped(NamedTuple):
    """A template with its kit and the expected values of its prints: computed once, used by many readings."""

    template: Template
    analysis: Analysis
    kit: Kit
    expected: dict[str, Outs]


def session(seed: int) -> Template:
    """Two to four sections with a bus, a print and a send each, a return, a mix, and an instrument played by notes."""
    draw = random.Random(seed)  # noqa: S311 - the same session every time
    strips: list[dict[str, Any]] = []
    routes: list[Any] = []
    stems: list[dict[str, Any]] = []
    sections = []
    for section in range(draw.randint(2, 4)):
        bus = f"bus{section}"
        sections.append({"id": f"sec{section}", "name": f"Section {section}", "bus": bus})
        chain = [
            {
                "id": f"{bus}-eq",
                "type": "eq",
                "gain_db": draw.choice([-2.0, 2.0, 4.0]),
                "latency_samples": draw.choice([0, 64, 512]),
            }
        ]
        if draw.random() < 0.4:
            chain.append({"id": f"{bus}-comp", "type": "compressor", "threshold_db": -30.0, "ratio": 2.0})
        strips.append({"id": bus, "kind": "bus", "layout": "stereo", "section": f"sec{section}", "inserts": chain})
        for number in range(draw.randint(2, 4)):
            name = f"s{section}-{number}"
            layout = draw.choice(["mono", "mono", "stereo"])
            strips.append(
                {"id": name, "kind": draw.choice(["audio", "audio", "audio", "input"]), "layout": layout, "section": f"sec{section}",
                 "pan": draw.choice([-1.0, -0.5, 0.3, 0.7]), "fader_db": draw.choice([0.0, -3.0, -8.0]),
                 "inserts": [{"id": f"{name}-trim", "type": "gain", "gain_db": draw.choice([-4.0, 3.0]), "latency_samples": draw.choice([0, 0, 128])}]}
            )  # fmt: skip
            routes.append(f"{name}>{bus}")
            if draw.random() < 0.5:
                routes.append(f"send {name}>hall {draw.choice([-6, -10])}")
        strips.append({"id": f"print{section}", "kind": "print", "layout": "stereo", "section": f"sec{section}"})
        routes += [f"{bus}>print{section}", f"{bus}>mix"]
        stems.append({"id": f"st{section}", "name": f"Section {section}", "strip": bus, "print": f"print{section}"})
    if draw.random() < 0.6:
        strips += [
            {"id": "player", "kind": "instrument", "layout": "stereo", "midi": {"ports": 1}, "latency_samples": 256,
             "outlets": [{"id": "1-2"}, {"id": "3-4"}], "parts": [{"id": "low", "note": 36, "outlet": "1-2"}, {"id": "high", "note": 60, "outlet": "3-4"}]},
            {"id": "notes", "kind": "midi"},
        ]  # fmt: skip
        routes += [
            {"kind": "midi", "from": "notes", "to": "player", "channel": 1},
            "player>bus0",
            {"from": "player", "from_outlet": "3-4", "to": "bus1"},
        ]
    hall = {"id": "hall-verb", "type": "reverb", "wet": 1.0, "pre_delay_ms": 20.0}
    strips += [
        {"id": "hall", "kind": "return", "layout": "stereo", "inserts": [hall]},
        {"id": "mix", "kind": "master", "layout": "stereo", "inserts": [{"id": "mix-trim", "type": "gain", "gain_db": -3.0}]},
        {"id": "print-hall", "kind": "print", "layout": "stereo"}, {"id": "print-mix", "kind": "print", "layout": "stereo"},
        {"id": "out", "kind": "output", "layout": "stereo", "io": [1, 2]},
    ]  # fmt: skip
    routes += ["hall>mix", "hall>print-hall", "mix>print-mix", "mix>out"]
    stems += [
        {"id": "st-hall", "name": "Hall", "strip": "hall", "print": "print-hall", "returns": "all"},
        {"id": "st-mix", "name": "Mix", "role": "mix", "strip": "mix", "print": "print-mix"},
    ]
    return template(strips, routes, sections=sections, stems=stems)


def mapped(made: Template) -> Mapped:
    analysis = Analysis(made)
    kit = kit_of(analysis)
    return Mapped(made, analysis, kit, expected(made, kit))


def read(there: Mapped, *faults: str) -> tuple[Reading, Verdict]:
    """The reading of a simulated session's prints, without files in between."""
    cells = cells_of(there.template, there.kit, built(there.template, faults))
    matched = Matched({stem: PrintFiles(stem, [Path(f"{stem}.wav")]) for stem in cells})
    found = reading_of(there.analysis, there.kit, printed(there.analysis.graph), there.expected, cells, matched, {})
    return found, judge(there.analysis, there.kit, found)


KINDS = (
    "off", "gain", "fader", "swap", "polarity", "late", "feed", "bypass", "mute", "late-print", "silent-print", "drop",
)  # fmt: skip
CODES = {
    "off": {"missing", "level", "silent"}, "gain": {"level"}, "fader": {"level"}, "swap": {"channels"},
    "polarity": {"polarity", "level"}, "late": {"delay", "offset", "level"}, "feed": {"unexpected", "level", "channels"}, "bypass": {"level"},
    "mute": {"missing", "silent", "level"}, "late-print": {"offset"}, "silent-print": {"silent"}, "drop": {"unread"},
}  # fmt: skip


def fault(there: Mapped, kind: str, draw: random.Random) -> tuple[str, str]:
    """A fault of a kind at a random place where a reading can notice it, and the id that is at fault."""
    made = there.template
    sounding = [one for one in made.strips if one.kind in ("audio", "input", "bus", "return", "master")]
    audio = [
        route
        for route in made.routes
        if route.kind in ("feed", "send") and route.to != "out" and route.from_strip != "player"
    ]
    if kind in ("off", "gain"):
        route = draw.choice(audio)
        return (f"off:{route.id}" if kind == "off" else f"gain:{route.id}:{draw.choice(['+3', '-4', '+1'])}"), route.id
    if kind == "swap":
        strip = draw.choice([one for one in sounding if one.layout == "stereo" and one.kind != "return"])
        return f"swap:{strip.id}", strip.id
    if kind == "bypass":
        strip = draw.choice([one for one in sounding if one.inserts and one.kind != "return"])
        return f"bypass:{strip.inserts[0].id}", strip.id
    if kind == "feed":
        source = draw.choice([one for one in sounding if one.kind in ("audio", "input")])
        fed = {route.to for route in made.routes if route.from_strip == source.id}
        bus = draw.choice([one for one in sounding if one.kind == "bus" and one.id not in fed])
        return f"feed:{source.id}:{bus.id}", source.id
    if kind in ("late-print", "silent-print", "drop"):
        stem = draw.choice(made.stems)
        return kind + f":{stem.id}" + (f":{draw.choice([441, -200, 30000])}" if kind == "late-print" else ""), stem.id
    strip = draw.choice([one for one in sounding if kind not in ("polarity", "late") or one.kind != "return"])
    value = {"fader": ":" + draw.choice(["-2", "+3"]), "late": ":" + draw.choice(["1", "64", "777"])}.get(kind, "")
    return f"{kind}:{strip.id}{value}", strip.id
