"""A small kit for a talk recording: two hosts, a guest on a line, music, a stereo print."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, insert


def podcast() -> Template:
    kit = Builder(
        "Podcast kit", tempo_bpm=100.0, profile={"name": "Talk", "loudness_lufs": -16.0, "true_peak_dbtp": -1.0}
    )
    kit.machine("main", "Main computer", inputs=4, outputs=4)
    kit.section("voices", "Voices", "#8a4b2d", "voices-bus")
    kit.section("music", "Music", "#2d6488", "music-bus")
    for microphone, name in enumerate(("Host one", "Host two", "Guest line"), start=1):
        key = name.lower().replace(" ", "-")
        chain = [
            insert(f"{key}-cut", "Low cut", "eq", low_cut_hz=150.0),
            insert(f"{key}-level", "Level", "compressor", threshold_db=-20.0, ratio=3.0),
        ]
        kit.strip(key, name, "input", "mono", section="voices", io=[microphone], inserts=chain, feed="voices-bus")
        kit.send(key, "small-room", -18.0)
    kit.strip("voices-bus", "Voices", "bus", section="voices")
    kit.strip("bed", "Music bed", "audio", section="music", feed="music-bus")
    kit.strip("sting", "Sting", "audio", section="music", feed="music-bus")
    duck = insert("bed-duck", "Duck", "compressor", key="external", threshold_db=-26.0, ratio=3.0)
    kit.strip("music-bus", "Music", "bus", section="music", fader_db=-6.0, inserts=[duck])
    kit.route("key", "voices-bus", "music-bus", to_insert="bed-duck")
    kit.strip(
        "small-room",
        "Small room",
        "return",
        inserts=[insert("small-room-verb", "Room", "reverb", low_cut_hz=180.0)],
        feed="voices-bus",
    )
    kit.strip(
        "talk-mix",
        "Talk mix",
        "master",
        inserts=[insert("talk-ceiling", "Ceiling", "limiter", ceiling_db=-1.5)],
        feed="out-main",
    )
    for start in ("voices-bus", "music-bus"):
        kit.route("feed", start, "talk-mix")
    kit.strip("print-talk", "Talk print", "print")
    kit.route("feed", "talk-mix", "print-talk")
    kit.strip("out-main", "Out 1–2", "output", io=[1, 2])
    kit.stem("mix-talk", "Talk mix", "talk-mix", "print-talk", role="mix")
    return kit.template()
