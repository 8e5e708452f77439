"""A beat with duckers: a trigger track keys bass and chords."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, insert, level
from web.shelf.starting.parts import COLOURS, add_mix, add_return

DRUMS = ("Kick", "Clap", "Hats", "Percussion")
MUSIC = ("Chords", "Pad", "Lead")


def beat() -> Template:
    """Drums, bass, chords and a voice; bass and chords are ducked by a trigger that plays with the kick."""
    kit = Builder("Beat with duckers", tempo_bpm=124.0)
    kit.machine("main", "Main computer", inputs=2, outputs=2)
    for key, name, colour in (
        ("drums", "Drums", COLOURS[0]), ("low", "Low end", COLOURS[1]),
        ("music", "Music", COLOURS[3]), ("voice", "Voice", COLOURS[4]),
    ):  # fmt: skip
        kit.section(key, name, colour, f"{key}-bus")
    for name in DRUMS:
        kit.strip(name.lower(), name, "audio", section="drums", feed="drums-bus", fader_db=-6.0, **level(-6.0, -20.0))
    kit.strip("trigger", "Duck trigger", "audio", "mono", section="drums", tags=["trigger"], **level(-6.0, -18.0))
    _ducked(kit, "low-bus", "Low end", "low", fader_db=-4.0)
    _ducked(kit, "music-bus", "Music", "music", fader_db=-6.0)
    kit.strip("bass", "Bass", "instrument", section="low", feed="low-bus", fader_db=-6.0, **level(-9.0, -18.0))
    for name in MUSIC:
        key = name.lower()
        kit.strip(key, name, "instrument", section="music", feed="music-bus", fader_db=-8.0, **level(-9.0, -20.0))
        kit.send(key, "room", -14.0)
    chain = [
        insert("voice-cut", "Low cut", "eq", low_cut_hz=100.0),
        insert("voice-level", "Level", "compressor", threshold_db=-20.0, ratio=3.0),
    ]
    kit.strip("lead-voice", "Lead voice", "audio", "mono", section="voice", inserts=chain, feed="voice-bus",
              fader_db=-5.0, **level(-6.0, -20.0))  # fmt: skip
    kit.send("lead-voice", "room", -12.0)
    kit.send("lead-voice", "echo", -16.0)
    kit.strip("drums-bus", "Drums", "bus", section="drums", fader_db=-3.0)
    kit.strip("voice-bus", "Voice", "bus", section="voice", fader_db=-3.0)
    kit.send("clap", "room", -16.0)
    add_return(kit, "room", "Room", "mix")
    quarter = insert("echo-delay", "Echo", "delay", delay_ms=483.871, feedback=0.4, low_cut_hz=250.0)
    kit.strip("echo", "Echo", "return", inserts=[quarter], feed="mix")
    add_mix(kit, ["drums-bus", "low-bus", "music-bus", "voice-bus"])
    return kit.template()


def _ducked(kit: Builder, key: str, name: str, section: str, fader_db: float) -> None:
    """A bus whose compressor the trigger keys."""
    duck = insert(f"{key}-duck", "Duck", "compressor", key="external", threshold_db=-26.0, ratio=4.0, attack_ms=2.0,
                  release_ms=121.0)  # fmt: skip
    kit.strip(key, name, "bus", section=section, inserts=[duck], fader_db=fader_db)
    kit.route("key", "trigger", key, to_insert=f"{key}-duck", tap="pre-fader")
