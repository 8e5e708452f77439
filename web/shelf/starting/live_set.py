"""Songs in a row for a live set: each song is a section, and only one of them sounds at a time."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, insert, level
from web.shelf.starting.parts import COLOURS, add_mix, add_return

SONGS = ("Harbour lights", "Slow tide", "Signal flags", "Night watch", "Landfall")
TRACKS = (("Beat", "stereo", -8.0), ("Low synth", "mono", -10.0), ("Chords", "stereo", -10.0))
BARS_A_SONG = 96


def live_set() -> Template:
    """Five songs of backing tracks that alternate, a voice and a guitar on stage, a click for the ears."""
    kit = Builder("Live set", tempo_bpm=120.0)
    kit.machine("main", "Stage computer", inputs=8, outputs=8)
    colours = iter(COLOURS)
    keys = [name.lower().replace(" ", "-") for name in SONGS]
    for key, name in zip(keys, SONGS, strict=True):
        kit.section(key, name, next(colours), f"{key}-bus")
    kit.section("stage", "Stage", next(colours), "stage-bus")
    kit.section("ears", "Ears", "#5c6870")
    for key, name in zip(keys, SONGS, strict=True):
        for track, layout, fader_db in TRACKS:
            own = f"{key}-{track.lower().replace(' ', '-')}"
            kit.strip(own, f"{name} {track.lower()}", "audio", layout, section=key, feed=f"{key}-bus",
                      fader_db=fader_db, **level(-8.0, -21.0))  # fmt: skip
        kit.strip(f"{key}-bus", name, "bus", section=key, fader_db=-3.0, feed="set-bus")
    for own, name, channel in (("voice", "Voice", 1), ("guitar", "Guitar", 2)):
        cut = insert(f"{own}-cut", "Low cut", "eq", low_cut_hz=90.0)
        kit.strip(own, name, "input", "mono", section="stage", io=[channel], inserts=[cut], feed="stage-bus",
                  fader_db=-8.0, **level(-10.0, -25.0))  # fmt: skip
        kit.send(own, "hall", -12.0)
        kit.send(own, "ears", -8.0, tap="pre-fader")
    kit.strip("stage-bus", "Stage", "bus", section="stage", fader_db=-3.0)
    kit.strip("click", "Click", "audio", "mono", section="ears", tags=["click"], **level(-12.0, -30.0))
    kit.send("click", "ears", -10.0, tap="pre-fader")
    kit.strip("set-bus", "Songs", "bus", fader_db=-3.0)
    kit.send("set-bus", "ears", -8.0, tap="pre-fader")
    safe = insert("ears-safe", "Ear limiter", "limiter", ceiling_db=-6.0)
    kit.strip("ears", "Ears", "bus", section="ears", inserts=[safe], feed="ears-out", fader_db=-3.0)
    kit.strip("ears-out", "Ears 3–4", "output", section="ears", io=[3, 4])
    add_return(kit, "hall", "Hall", "mix")
    add_mix(kit, ["set-bus", "stage-bus"])
    kit.plain["timeline"] = {
        "tempo": [{"bar": 1, "bpm": 120.0}],
        "markers": [{"name": name, "bar": 1 + at * BARS_A_SONG} for at, name in enumerate(SONGS)],
        "end_bar": len(SONGS) * BARS_A_SONG,
    }
    members = [f"section:{key}" for key in keys]
    kit.plain["choices"] = [{"id": "songs", "name": "Songs", "members": members, "sounding": 1, "by": "turn"}]
    return kit.template()
