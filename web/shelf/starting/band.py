"""A band with headphone mixes: pre-fader sends for each player, the click in headphones alone."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, insert, level
from web.shelf.starting.parts import COLOURS, add_mix, add_return

# Name, family, layout, channels.
LINES = (
    ("Kick", "drums", "mono", [1]), ("Snare", "drums", "mono", [2]), ("Overheads", "drums", "stereo", [3, 4]),
    ("Bass", "bass", "mono", [5]), ("Guitar left", "guitars", "mono", [6]), ("Guitar right", "guitars", "mono", [7]),
    ("Keys", "keys", "stereo", [8, 9]), ("Lead voice", "voices", "mono", [10]),
    ("Second voice", "voices", "mono", [11]), ("Talk", "talk", "mono", [12]),
)  # fmt: skip
FAMILIES = {"drums": "Drums", "bass": "Bass", "guitars": "Guitars", "keys": "Keys", "voices": "Voices"}
PLAYERS = ("Drummer", "Bassist", "Guitarist", "Singer")


def band() -> Template:
    """Inputs of a band, one mix, four headphone mixes with a click."""
    kit = Builder("Band with headphone mixes", tempo_bpm=112.0)
    kit.machine("main", "Main computer", inputs=16, outputs=16)
    colours = iter(COLOURS)
    for key, name in FAMILIES.items():
        kit.section(key, name, next(colours), f"{key}-bus")
    kit.section("phones", "Headphones", next(colours))
    for name, family, layout, channels in LINES:
        if family != "talk":
            _line(kit, name, family, layout, channels)
    kit.strip("talk", "Talkback", "input", "mono", section="phones", io=[12], tags=["talkback"], **level(-9.0, -24.0))
    kit.strip("click", "Click", "audio", "mono", section="phones", tags=["click"], **level(-9.0, -24.0))
    for key, name in FAMILIES.items():
        kit.strip(f"{key}-bus", name, "bus", section=key, fader_db=-4.0)
    for number, player in enumerate(PLAYERS):
        _phones(kit, player, 3 + 2 * number)
    add_return(kit, "room", "Room", "mix")
    add_mix(kit, [f"{key}-bus" for key in FAMILIES])
    return kit.template()


def _line(kit: Builder, name: str, family: str, layout: str, channels: list[int]) -> None:
    key = name.lower().replace(" ", "-")
    cut = insert(f"{key}-cut", "Low cut", "eq", low_cut_hz=40.0 if family in ("drums", "bass") else 100.0)
    kit.strip(key, name, "input", layout, section=family, io=channels, inserts=[cut], feed=f"{family}-bus",
              fader_db=-8.0, **level(-9.0, -24.0))  # fmt: skip
    if family in ("voices", "guitars", "keys"):
        kit.send(key, "room", -16.0)


def _phones(kit: Builder, player: str, first: int) -> None:
    """The headphone mix of a player: every line pre-fader, click and talkback, a limiter for the ears."""
    key = player.lower()
    safe = insert(f"{key}-safe", "Ear limiter", "limiter", ceiling_db=-6.0)
    kit.strip(f"{key}-mix", f"{player} mix", "bus", section="phones", inserts=[safe], feed=f"{key}-out", fader_db=-3.0)
    kit.strip(f"{key}-out", f"Phones {first}–{first + 1}", "output", section="phones", io=[first, first + 1])
    for name, family, _layout, _channels in LINES:
        if family != "talk":
            kit.send(name.lower().replace(" ", "-"), f"{key}-mix", -12.0, tap="pre-fader")
    kit.send("click", f"{key}-mix", -16.0, tap="pre-fader")
    kit.send("talk", f"{key}-mix", -10.0, tap="pre-fader")
