"""Voices and guests, a small ensemble, a picture in 5.1."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, insert
from web.shelf.starting.parts import COLOURS, add_mix, add_return

GUESTS = ("Host", "Guest one", "Guest two", "Guest three")
PLAYERS = (
    ("Flute", "winds"), ("Clarinet", "winds"), ("Horn", "brass"), ("Trombone", "brass"), ("Harp", "plucked"),
    ("Piano", "keys"), ("Violins", "strings"), ("Violas", "strings"), ("Cellos", "strings"), ("Basses", "strings"),
)  # fmt: skip
FAMILIES = {"winds": "Winds", "brass": "Brass", "plucked": "Plucked", "keys": "Keys", "strings": "Strings"}


def voices() -> Template:
    """A host and three guests, music that ducks under them, one mix in stereo."""
    # microphones come a buffer later than music that is played back: a duck need not be sooner than that
    talk = {"name": "Talk", "loudness_lufs": -16.0, "true_peak_dbtp": -1.0, "key_tolerance_ms": 10.0}
    kit = Builder("Voice and guests", profile=talk)
    kit.machine("main", "Main computer", inputs=8, outputs=4)
    kit.section("voices", "Voices", COLOURS[0], "voices-bus")
    kit.section("music", "Music", COLOURS[1], "music-bus")
    for channel, name in enumerate(GUESTS, start=1):
        key = name.lower().replace(" ", "-")
        chain = [
            insert(f"{key}-cut", "Low cut", "eq", low_cut_hz=100.0),
            insert(f"{key}-level", "Level", "compressor", threshold_db=-22.0, ratio=3.0),
        ]
        kit.strip(
            key, name, "input", "mono", section="voices", io=[channel], inserts=chain, feed="voices-bus", fader_db=-6.0
        )
        kit.send(key, "small-room", -20.0)
    kit.strip("voices-bus", "Voices", "bus", section="voices")
    duck = insert("music-duck", "Duck", "compressor", key="external", threshold_db=-26.0, ratio=3.0)
    for key, name in (("opening", "Opening"), ("bed", "Music bed"), ("sting", "Stings")):
        kit.strip(key, name, "audio", section="music", feed="music-bus")
    kit.strip("music-bus", "Music", "bus", section="music", fader_db=-9.0, inserts=[duck])
    kit.route("key", "voices-bus", "music-bus", to_insert="music-duck")
    add_return(kit, "small-room", "Small room", "voices-bus")
    add_mix(kit, ["voices-bus", "music-bus"])
    return kit.template()


def ensemble() -> Template:
    """Ten players of an ensemble; the strings come from samples on a second machine."""
    kit = Builder("Ten-piece ensemble")
    kit.machine("main", "Main computer", inputs=16, outputs=8)
    kit.machine("second", "Second machine", outputs=8, midi_ports=2)
    used = iter(COLOURS)
    for key, name in FAMILIES.items():
        kit.section(key, name, next(used), f"{key}-bus")
    channel = 1
    for number, (name, family) in enumerate(PLAYERS, start=1):
        key = name.lower()
        if family == "strings":
            kit.strip(f"{key}-notes", f"{name} notes", "midi", section=family)
            kit.route("midi", f"{key}-notes", "strings-player", port=1, channel=number - 6)
            continue
        cut = insert(f"{key}-cut", "Low cut", "eq", low_cut_hz=60.0)
        kit.strip(
            key, name, "input", "mono", section=family, io=[channel], inserts=[cut], feed=f"{family}-bus", fader_db=-8.0
        )
        kit.send(key, "hall", -14.0)
        channel += 1
    kit.strip("strings-player", "Strings player", "instrument", section="strings", machine="second",
              midi={"ports": 1, "channels": "all"}, feed="strings-out")  # fmt: skip
    kit.strip("strings-out", "Strings out", "output", machine="second", section="strings", io=[1, 2])
    kit.strip("strings-in", "Strings in", "input", section="strings", io=[15, 16], feed="strings-bus")
    kit.route("tie", "strings-out", "strings-in")
    for key, name in FAMILIES.items():
        kit.strip(f"{key}-bus", name, "bus", section=key, fader_db=-4.0)
    kit.send("strings-bus", "hall", -12.0)
    add_return(kit, "hall", "Hall", "mix")
    add_mix(kit, [f"{key}-bus" for key in FAMILIES])
    return kit.template()


DELIVERED = (("dialogue", "Dialogue", "mono"), ("music", "Music", "stereo"), ("effects", "Effects", "stereo"))


def picture() -> Template:
    """A film in 5.1: dialogue, music and effects on buses with prints of their own, and the mix of them."""
    kit = Builder(
        "Picture in 5.1", frame_rate="25", profile={"name": "Picture", "layouts": ["5.1"], "frame_rate": "25"}
    )
    kit.machine("main", "Main computer", inputs=8, outputs=16)
    for (key, name, layout), colour in zip(DELIVERED, COLOURS, strict=False):
        kit.section(key, name, colour, f"{key}-bus")
        for number in range(1, 5):
            own = f"{key}-{number}"
            kit.strip(own, f"{name} {number}", "audio", layout, section=key, feed=f"{key}-bus", fader_db=-6.0)
            kit.send(own, f"{key}-room", -18.0)
        kit.strip(f"{key}-bus", name, "bus", "5.1", section=key, fader_db=-3.0)
        add_return(kit, f"{key}-room", f"{name} room", f"{key}-bus", "5.1")
        kit.strip(f"{key}-print", f"{name} print", "print", "5.1", section=key)
        kit.route("feed", f"{key}-bus", f"{key}-print")
        kit.stem(key, name, f"{key}-bus", f"{key}-print", layout="5.1")
    kit.strip("guide", "Guide picture sound", "audio", tags=["guide"], feed="phones")
    kit.strip("phones", "Phones", "output", io=[9, 10])
    add_mix(kit, [f"{key}-bus" for key, _name, _layout in DELIVERED], "5.1", tuple(range(1, 7)))
    return kit.template()
