"""Large realistic templates from a number of strips and a seed, for measuring and for trying things out.

Sections of tracks, instruments with outlets and notes, section buses with chains and keys, returns,
stems with their prints, submixes, a mix with its print, headphones. The same seed gives the same template.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field
from typing import Any

import msgspec

from lattice.generate.worn import WORN_STRIPS, Wear
from lattice.model.document import FORMAT, Template
from lattice.model.validate import validate

SECTION_WORDS = (
    "Narration", "Glass", "Frame drums", "Choir", "Strings", "Brass", "Woodwind", "Keys", "Pulse", "Shore",
    "Harbour", "Wind", "Engine", "Bells", "Signals", "Crowd", "Machines", "Rain", "Footsteps", "Atmos",
)  # fmt: skip
VOICE_WORDS = (
    "high",
    "low",
    "near",
    "far",
    "left",
    "right",
    "soft",
    "hard",
    "dry",
    "wide",
    "double",
    "room",
    "main",
    "spot",
)
COLOURS = ("#8a4b2d", "#3f6b4a", "#6a5790", "#2d6488", "#8a7a2d", "#7a3f52", "#4f6f7a", "#6b6b6b")
MAKERS = ("Tern Audio", "Harbour Works", "Northmark")
PROCESSORS: list[tuple[str, str, dict[str, Any]]] = [
    ("compressor", "Level", {"threshold_db": -20.0, "ratio": 3.0, "attack_ms": 10.0, "release_ms": 120.0}),
    ("gate", "Gate", {"threshold_db": -50.0, "attack_ms": 1.0, "release_ms": 80.0}),
    ("saturator", "Warmth", {"wet": 0.4}),
    ("expander", "Breath", {"threshold_db": -45.0, "ratio": 1.5}),
    ("modulation", "Width", {"wet": 0.25}),
]
# One of everything.
LEAST_STRIPS = 12
LEAST_WORN = 60  # room for shared returns and for sections that send to them
# Strips of a section as orchestral templates have them, two dozen voices and a bus (common practice).
PER_SECTION = 26
MOST_STEMS = 24


@dataclass
class _Pieces:
    random: random.Random
    strips: list[dict[str, Any]] = field(default_factory=list)
    sections: list[dict[str, Any]] = field(default_factory=list)
    routes: list[dict[str, Any]] = field(default_factory=list)
    stems: list[dict[str, Any]] = field(default_factory=list)

    def strip(self, strip_id: str, name: str, kind: str, **fields: Any) -> str:
        self.strips.append({"id": strip_id, "name": name, "kind": kind, **fields})
        return strip_id

    def route(self, kind: str, start: str, end: str, **fields: Any) -> None:
        self.routes.append({"id": f"r{len(self.routes) + 1}", "kind": kind, "from": start, "to": end, **fields})


def generate(strips: int, seed: int = 1, *, worn: bool = False) -> Template:
    """A realistic template of any size, the same for the same seed.

    Parameters
    ----------
    strips
        Exactly so many strips, 12 to 100,000; worn ones from 60.
    seed
        Of the random choices.
    worn
        With the mistakes of a long job (worn.py).

    Raises
    ------
    ValueError
        Where so many strips are not allowed.
    """
    least = LEAST_WORN if worn else LEAST_STRIPS
    if not least <= strips <= 100_000:
        raise ValueError(f"{strips} strips; {least} to 100000 are allowed")
    pieces = _Pieces(random.Random(seed))  # noqa: S311 - a seed for repeatable templates, no secret
    _ends(pieces)
    wanted = strips - (WORN_STRIPS if worn else 0)
    sections = max(1, (wanted - len(pieces.strips)) // PER_SECTION)
    stems = _stems(pieces, min(MOST_STEMS, sections // 2))
    per_section, rest = divmod(wanted - len(pieces.strips), sections)
    staged_db = -round(10 * math.log10(max(sections / len(stems), 1)), 1)  # so that no stem builds up
    for section_number in range(sections):
        _section(
            pieces, section_number, per_section + (section_number < rest), stems[section_number % len(stems)], staged_db
        )
    if worn:
        Wear(pieces.random, pieces.strips, pieces.routes, pieces.stems).wear()
    plain = {
        "format": FORMAT, "version": 1,
        "name": f"Generated{', worn' if worn else ''}, {strips} strips, seed {seed}",
        "machines": [{"id": "main", "name": "Main computer", "outputs": 16, "midi_ports": 16}],
        "sections": pieces.sections, "strips": pieces.strips, "routes": pieces.routes, "stems": pieces.stems,
    }  # fmt: skip
    return validate(msgspec.convert(plain, Template))


def _ends(pieces: _Pieces) -> None:
    """Mix, submixes, their print and outputs, click and headphones: ten strips."""
    limiter = {"id": "mix-limiter", "name": "Ceiling", "type": "limiter", "latency_samples": 256, "ceiling_db": -1.0}
    pieces.strip("mix", "Mix", "master", layout="stereo", inserts=[limiter])
    pieces.strip("music", "Music", "bus", layout="stereo")
    pieces.strip("effects", "Effects", "bus", layout="stereo")
    pieces.strip("print-mix", "Mix print", "print", layout="stereo")
    pieces.strip("out-main", "Out 1–2", "output", layout="stereo", io=[1, 2])
    pieces.strip("phones", "Phones", "bus", layout="stereo")
    pieces.strip("out-phones", "Out 3–4", "output", layout="stereo", io=[3, 4])
    pieces.strip("click", "Click", "audio", tags=["click"])
    for start, end in (
        ("music", "mix"),
        ("effects", "mix"),
        ("mix", "print-mix"),
        ("mix", "out-main"),
        ("phones", "out-phones"),
    ):
        pieces.route("feed", start, end)
    pieces.route("feed", "click", "phones")
    pieces.stems.append({"id": "st-mix", "name": "Mix", "role": "mix", "strip": "mix", "print": "print-mix"})


def _stems(pieces: _Pieces, count: int) -> list[str]:
    """Buses that sections are gathered on, each a stem with its print; the two submixes where there are none."""
    for number in range(count):
        name = SECTION_WORDS[number % len(SECTION_WORDS)] + (" more" if number >= len(SECTION_WORDS) else "")
        bus = pieces.strip(f"stem{number}", f"{name} stem", "bus", layout="stereo")
        printed = pieces.strip(f"stem{number}-print", f"{name} stem print", "print", layout="stereo")
        pieces.route("feed", bus, "music" if number % 2 else "effects")
        pieces.route("feed", bus, printed)
        pieces.stems.append({"id": f"st-{number}", "name": name, "strip": bus, "print": printed})
    return [f"stem{number}" for number in range(count)] or ["music", "effects"]


def _section(pieces: _Pieces, section_number: int, size: int, gathered: str, bus_db: float) -> None:
    """A bus that feeds `gathered`, a return, sometimes an instrument, and tracks for the rest of `size` strips."""
    rounds, word = divmod(section_number, len(SECTION_WORDS))
    name = SECTION_WORDS[word] + (f" {rounds + 1}" if rounds else "")
    section, bus, hall = f"s{section_number}", f"s{section_number}-bus", f"s{section_number}-hall"
    pieces.sections.append({"id": section, "name": name, "colour": COLOURS[section_number % len(COLOURS)], "bus": bus})
    first = len(pieces.strips)
    pieces.strip(
        bus, f"{name} bus", "bus", layout="stereo", section=section, fader_db=bus_db, inserts=_bus_chain(pieces, bus)
    )
    pieces.route("feed", bus, gathered)
    if size > 4:
        verb = {"id": f"{hall}-verb", "name": "Hall", "type": "reverb", "latency_samples": 32, "low_cut_hz": 180.0}
        pieces.strip(hall, f"{name} hall", "return", layout="stereo", section=section, inserts=[verb])
        pieces.route("feed", hall, bus)
    if size > 12 and section_number % 3 == 1:
        _instrument(pieces, section_number, name)
    while len(pieces.strips) < first + size:
        _track(pieces, section_number, name, len(pieces.strips) - first, has_hall=size > 4)
    if size > 6 and section_number % 5 == 2:
        pieces.route("key", f"s{section_number}-t{size - 1}", bus, to_insert=f"{bus}-comp", tap="pre-fader")


def _bus_chain(pieces: _Pieces, bus: str) -> list[dict[str, Any]]:
    comp = {
        "id": f"{bus}-comp",
        "name": "Glue",
        "type": "compressor",
        "latency_samples": 64,
        "threshold_db": -18.0,
        "ratio": 2.0,
    }
    if bus.startswith("s") and int(bus[1:].partition("-")[0]) % 5 == 2:
        comp = {**comp, "key": "external"}
    return [{"id": f"{bus}-eq", "name": "Tone", "type": "eq"}, comp]


def _instrument(pieces: _Pieces, instrument_number: int, name: str) -> None:
    """A sampler with four outlets, its listeners and its notes: six strips."""
    sampler = f"s{instrument_number}-sampler"
    outlets = [{"id": f"{2 * n + 1}-{2 * n + 2}", "name": f"{2 * n + 1}–{2 * n + 2}"} for n in range(4)]
    parts = [{"id": f"p{n}", "name": f"Part {n + 1}", "note": 36 + n, "outlet": outlets[n]["id"]} for n in range(4)]
    pieces.strip(
        sampler, f"{name} sampler", "instrument", layout="stereo", section=f"s{instrument_number}",
        outlets=outlets, parts=parts,
        midi={"ports": 1, "channels": "all"}, fader_db=-14.0,
    )  # fmt: skip
    pieces.route("feed", sampler, f"s{instrument_number}-bus")
    for n, outlet in enumerate(outlets[1:], start=2):
        listener = pieces.strip(
            f"s{instrument_number}-take{n}",
            f"{name} take {n}",
            "audio",
            layout="stereo",
            section=f"s{instrument_number}",
            source=None,
            monitor="always",
            fader_db=-14.0,
        )
        pieces.route("feed", sampler, listener, from_outlet=outlet["id"])
        pieces.route("feed", listener, f"s{instrument_number}-bus")
    notes = pieces.strip(f"s{instrument_number}-notes", f"{name} notes", "midi", section=f"s{instrument_number}")
    pieces.route("midi", notes, sampler, port=1, channel=1)


def _track(pieces: _Pieces, track_number: int, name: str, position: int, *, has_hall: bool) -> None:
    chance = pieces.random
    track = f"s{track_number}-t{position}"
    word = VOICE_WORDS[position % len(VOICE_WORDS)]
    layout = chance.choice(("mono", "mono", "stereo"))
    inserts = [
        {"id": f"{track}-eq", "name": "Low cut", "type": "eq", "low_cut_hz": float(chance.choice((15, 150, 180)))}
    ]
    for kind, name_of_it, fields in chance.sample(PROCESSORS, chance.randint(1, 3)):
        state = chance.choice(("on", "on", "on", "bypassed"))
        latency = chance.choice((0, 0, 32, 64, 128))
        inserts.append({
            "id": f"{track}-{kind}", "name": name_of_it, "type": kind, "maker": chance.choice(MAKERS),
            "version": "2.4.1", "state": state, "latency_samples": latency, **fields,
        })  # fmt: skip
    pieces.strip(
        track, f"{name} {word} {position}", "audio", layout=layout, section=f"s{track_number}", inserts=inserts,
        fader_db=round(chance.uniform(-18, -6), 1), pan=round(chance.uniform(-0.6, 0.6), 2),
        source={"peak_dbfs": round(chance.uniform(-18, -6), 1), "rms_dbfs": round(chance.uniform(-29, -20), 1)},
    )  # fmt: skip
    pieces.route("feed", track, f"s{track_number}-bus")
    if has_hall and chance.random() < 0.5:
        pieces.route("send", track, f"s{track_number}-hall", gain_db=round(chance.uniform(-18, -8), 1))
