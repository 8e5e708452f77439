"""“Night Ferry”, a touring planetarium show.

Narration in two languages, a glass ensemble, a sampled choir on a second machine, shoreline beds in 5.1, effects,
music that ducks under the narration, per-stem reverbs (mixes and stems: deliveries.py).

`clean()` is the released version; `in_work()` is the one after it, with the mistakes of a long week.
"""

from __future__ import annotations

from typing import Any

from lattice.model.document import Template
from web.shelf.demo import deliveries
from web.shelf.demo.builder import Builder, insert, level

NARRATION, ENSEMBLE, CHOIR, AMBIENCE, EFFECTS, UTILITY = (
    "#8a4b2d",
    "#3f6b4a",
    "#6a5790",
    "#2d6488",
    "#8a7a2d",
    "#6b6b6b",
)


def clean() -> Template:
    return _ferry("Night Ferry, clean revision").template()


def sealed() -> list[tuple[Template, str]]:
    """The show's three revisions: their content and their notes; the last is the clean one."""
    first, second, third = (_ferry("Night Ferry") for _ in range(3))
    first.plain["stems"] = [stem for stem in first.plain["stems"] if stem["set"] == "5.1"]
    first.plain["rules"], first.plain["waivers"] = [], []
    second.plain["rules"] = second.plain["rules"][:2]
    return [
        (first.template(), "Six stems and the 5.1 mix"),
        (second.template(), "The stereo set, music and effects"),
        (third.template(), "Booth sends pre-fader; all sources pass the mix"),
    ]


def in_work() -> Template:
    ferry = _ferry("Night Ferry")
    _mistakes(ferry)
    deliveries.plugins(ferry)
    return ferry.template()


def _ferry(name: str) -> Builder:
    ferry = Builder(
        name, note="Touring planetarium show, 42 minutes", sample_rate_hz=48000, buffer_samples=256, tempo_bpm=96.0,
        frame_rate="25", timeline={"start_timecode": "01:00:00:00", "markers": [{"name": "Departure", "bar": 9}, {"name": "Open water", "bar": 41}]},
        info={"production": "Night Ferry", "year": "2026"},
        profile={"name": "EBU R 128", "frame_rate": "25", "layouts": ["5.1", "stereo"], "loudness_lufs": -23.0},
    )  # fmt: skip
    ferry.machine(
        "main",
        "Main computer",
        inputs=16,
        outputs=16,
        input_names={"7": "Tide synth L", "8": "Tide synth R"},
        midi_ports=4,
        input_latency_samples=48,
        output_latency_samples=40,
    )
    ferry.machine("choir", "Choir computer", inputs=2, outputs=4, midi_ports=3, tie_latency_samples=96)
    ferry.machine("tide", "Tide synthesiser", kind="outboard", inputs=0, outputs=2)
    ferry.section("narration", "Narration", NARRATION, "narration-bus")
    ferry.section("ensemble", "Ensemble", ENSEMBLE, "ensemble-bus")
    ferry.section("choir", "Choir", CHOIR, "choir-bus")
    ferry.section("ambience", "Ambience", AMBIENCE, "ambience-bus")
    ferry.section("effects", "Effects", EFFECTS, "effects-bus")
    ferry.section("utility", "Utility", UTILITY)
    _narration(ferry)
    _ensemble(ferry)
    _choir(ferry)
    _beds_and_effects(ferry)
    _utility(ferry)
    _returns(ferry)
    deliveries.mixes(ferry)
    deliveries.prints(ferry)
    deliveries.promises(ferry)
    deliveries.plugins(ferry)
    deliveries.waive(ferry)
    return ferry


def _narration(ferry: Builder) -> None:
    for language, peak in (("EN", -6.0), ("FR", -7.0)):
        key = f"narration-{language.lower()}"
        chain = [
            insert(f"{key}-cut", "Low cut", "eq", low_cut_hz=150.0),
            insert(f"{key}-level", "Level", "compressor", threshold_db=-20.0, ratio=3.0, latency_samples=64),
        ]
        ferry.strip(
            key,
            f"Narration {language}",
            "audio",
            "mono",
            section="narration",
            inserts=chain,
            feed="narration-bus",
            **level(peak, -24.0),
        )
        ferry.send(key, "booth-room", -14.0)
    ferry.strip(
        "narration-bus",
        "Narration",
        "bus",
        "stereo",
        section="narration",
        fader_db=-1.0,
        inserts=[insert("narration-tone", "Tone", "eq")],
    )


def _ensemble(ferry: Builder) -> None:
    outlets = [
        {"id": f"{2 * n + 1}-{2 * n + 2}", "name": f"{2 * n + 1}–{2 * n + 2}", **level(-11.0, -25.0)} for n in range(4)
    ]
    ferry.strip(
        "glass-sampler", "Glass sampler", "instrument", section="ensemble", outlets=outlets, memory_mb=2400.0,
        midi={"ports": 1, "channels": "all"}, inserts=[insert("glass-air", "Air", "eq")],
        parts=[
            {"id": "rims", "name": "Rims", "note": 48, "outlet": "1-2"}, {"id": "bowls", "name": "Bowls", "note": 60, "outlet": "3-4"},
            {"id": "frame", "name": "Frame drum", "note": 36, "outlet": "5-6"}, {"id": "shakers", "name": "Shakers", "note": 70, "outlet": "7-8"},
        ], **level(-8.0, -22.0),
    )  # fmt: skip
    listeners = (("glass-low", "Glass low", "3-4"), ("frame-drum", "Frame drum", "5-6"), ("shakers", "Shakers", "7-8"))
    ferry.strip("glass-notes", "Glass notes", "midi", section="ensemble")
    ferry.route("midi", "glass-notes", "glass-sampler", port=1, channel=1)
    for key, name, outlet in listeners:
        ferry.strip(key, name, "audio", section="ensemble", source=None, monitor="always", feed="ensemble-bus")
        ferry.route("feed", "glass-sampler", key, from_outlet=outlet)
    ferry.route("feed", "glass-sampler", "ensemble-bus")
    ferry.strip(
        "tide-in", "Tide synth in", "input", section="ensemble", io=[7, 8], feed="ensemble-bus", **level(-8.0, -20.0)
    )
    ferry.strip("tide-notes", "Tide notes", "midi", section="ensemble")
    ferry.route("midi", "tide-notes", "tide-synth", port=1, channel=1)
    ferry.strip(
        "tide-synth",
        "Tide synth",
        "instrument",
        section="ensemble",
        machine="tide",
        midi={"ports": 1, "channels": "all"},
        feed="tide-out",
        **level(-8.0, -20.0),
    )
    ferry.strip("tide-out", "Tide out", "output", section="ensemble", machine="tide", io=[1, 2])
    ferry.route("tie", "tide-out", "tide-in")
    duck = insert(
        "music-duck",
        "Duck",
        "compressor",
        key="external",
        threshold_db=-24.0,
        ratio=3.0,
        attack_ms=10.0,
        release_ms=180.0,
    )
    ferry.strip(
        "ensemble-bus",
        "Ensemble",
        "bus",
        section="ensemble",
        fader_db=-3.0,
        inserts=[insert("ensemble-tone", "Tone", "eq"), duck],
    )
    ferry.send("glass-low", "ensemble-hall", -12.0)
    ferry.send("glass-sampler", "ensemble-hall", -10.0)


def _choir(ferry: Builder) -> None:
    voices = (
        ("Soprano", 1, 1),
        ("Alto", 1, 2),
        ("Tenor", 1, 3),
        ("Bass", 1, 4),
        ("Children", 2, 1),
        ("Whispers", 3, 1),
    )
    for voice, port, channel in voices:
        key = voice.lower()
        ferry.strip(f"{key}-notes", f"{voice} notes", "midi", section="choir")
        ferry.route("midi", f"{key}-notes", "choir-player", port=port, channel=channel)
    ferry.strip(
        "choir-player",
        "Choir player",
        "instrument",
        section="choir",
        machine="choir",
        midi={"ports": 3, "channels": "all"},
        memory_mb=9800.0,
        feed="choir-out",
        **level(-9.0, -24.0),
    )
    ferry.strip("choir-out", "Choir out 1–2", "output", section="choir", machine="choir", io=[1, 2])
    ferry.strip("choir-in", "Choir in", "input", section="choir", io=[3, 4], feed="choir-bus")
    ferry.route("tie", "choir-out", "choir-in")
    duck = insert("choir-duck", "Duck", "compressor", key="external", threshold_db=-24.0, ratio=3.0)
    ferry.strip("choir-bus", "Choir", "bus", section="choir", fader_db=-4.0, inserts=[duck])
    ferry.send("choir-in", "choir-hall", -12.0)


def _beds_and_effects(ferry: Builder) -> None:
    for key, name, peak in (
        ("shore-bed", "Shore bed", -14.0),
        ("harbour-bed", "Harbour bed", -16.0),
        ("wind", "Wind", -18.0),
    ):
        ferry.strip(key, name, "audio", "5.1", section="ambience", feed="ambience-bus", **level(peak, peak - 14))
    ferry.strip(
        "ambience-bus",
        "Ambience",
        "bus",
        "5.1",
        section="ambience",
        fader_db=-2.0,
        inserts=[insert("ambience-eq", "Linear eq", "eq", latency_samples=512)],
    )
    for key, name, peak in (
        ("bells", "Bells", -12.0),
        ("engine-room", "Engine room", -12.0),
        ("gangway", "Gangway doors", -10.0),
        ("ropes", "Ropes and chains", -12.0),
    ):
        ferry.strip(
            key,
            name,
            "audio",
            section="effects",
            inserts=[insert(f"{key}-cut", "Low cut", "eq", low_cut_hz=80.0)],
            feed="effects-bus",
            **level(peak, peak - 14),
        )
    ferry.strip("effects-bus", "Effects", "bus", section="effects", fader_db=-2.0)
    ferry.send("bells", "long-echo", -8.0)
    ferry.send("engine-room", "long-echo", -16.0)


def _utility(ferry: Builder) -> None:
    ferry.strip(
        "duck-trigger", "Duck trigger", "audio", "mono", section="utility", tags=["trigger"], **level(-6.0, -20.0)
    )
    for bus, key in (("ensemble-bus", "music-duck"), ("choir-bus", "choir-duck")):
        ferry.route("key", "duck-trigger", bus, to_insert=key)
    ferry.strip("sync-pop", "Sync pop", "audio", "mono", section="utility", tags=["pop"], **level(-20.0, -23.0))
    for bus in ("narration-bus", "ensemble-bus", "choir-bus", "ambience-bus", "effects-bus", "echoes"):
        ferry.send("sync-pop", bus, 0.0)
    ferry.strip("click", "Click", "audio", "mono", section="utility", tags=["click"], feed="phones")
    ferry.strip(
        "reference", "Reference", "audio", section="utility", tags=["reference"], feed="phones", fader_db=-8.0,
        **level(-1.0, -16.0),
    )  # fmt: skip
    ferry.strip("spare-1", "Spare", "audio", section="utility", tags=["spare"], feed="effects-bus")


def _returns(ferry: Builder) -> None:
    def room(key: str, name: str, low_cut_hz: float, feed: str, **fields: Any) -> None:
        verb = insert(f"{key}-verb", "Room" if "Room" in name else "Hall", "reverb", low_cut_hz=low_cut_hz, **fields)
        ferry.strip(key, name, "return", "stereo", inserts=[verb], feed=feed)

    room("booth-room", "Booth room", 180.0, "narration-bus")
    room("ensemble-hall", "Hall, ensemble", 500.0, "ensemble-bus", latency_samples=128)
    room("choir-hall", "Hall, choir", 500.0, "choir-bus", latency_samples=128)
    echo = insert("echo-delay", "Echo", "delay", delay_ms=468.75, feedback=0.3)
    ferry.strip("long-echo", "Long echo", "return", "stereo", inserts=[echo], feed="echoes")


def _mistakes(ferry: Builder) -> None:
    """The mistakes of a long week: one of every family of checks so far."""
    routes = ferry.plain["routes"]
    routes[:] = [route for route in routes if not (route["from"] == "gangway" and route["kind"] == "feed")]
    next(r for r in routes if (r["from"], r["to"]) == ("ropes", "effects-bus")).update(to="show-mix")
    next(r for r in routes if (r["from"], r["to"]) == ("tide-in", "ensemble-bus"))["enabled"] = False
    ferry.route("send", "long-echo", "effects-bus", gain_db=-4.5)  # the echo comes back through the bus it is fed by
    ferry.route("send", "effects-bus", "long-echo", gain_db=-8.0)
    ferry.route("feed", "narration-fr", "show-mix")  # the bus and the mix: twice
    ferry.strip(
        "hall-shared",
        "Hall, shared",
        "return",
        "stereo",
        inserts=[insert("hall-shared-verb", "Long hall", "reverb", low_cut_hz=500.0)],
        feed="ensemble-bus",
    )
    for start, level_db in (("glass-sampler", -12.0), ("frame-drum", -14.0), ("choir-in", -12.0)):
        ferry.send(start, "hall-shared", level_db)  # one hall for two stems
    next(r for r in routes if (r["from"], r["to"]) == ("narration-fr", "booth-cue"))["tap"] = "post-fader"
    next(r for r in routes if (r["from"], r["to"]) == ("ambience-bus", "print-ambience"))["tap"] = "pre-fader"
    routes[:] = [route for route in routes if (route["from"], route["to"]) != ("sync-pop", "echoes")]
    ferry.strip("spare-bus", "bus 12", "bus", "stereo")
    ferry.strip(
        "foghorn",
        "Foghorn",
        "audio",
        section="effects",
        tags=[],
        colour="#7a3f52",
        feed="spare-bus",
        **level(-8.0, -20.0),
    )
    ferry.strip("print-foghorn", "Foghorn print", "print", "stereo")
    ferry.strip("bells-2", "Bells", "audio", section="effects", feed="effects-bus", **level(-14.0, -28.0))
    ferry.plain["sections"].append({"id": "radio", "name": "Radio voices", "colour": "#4f6f7a"})
    ferry.change("out-phones", mute=True)
    sampler = next(strip for strip in ferry.plain["strips"] if strip["id"] == "glass-sampler")
    sampler["outlets"][3]["open"] = False  # the shakers come out of it
    next(r for r in routes if r["from"] == "tenor-notes")["channel"] = 2
    ferry.change(
        "choir-bus",
        inserts=[
            insert("choir-duck", "Duck", "compressor", key="external", state="bypassed", threshold_db=-24.0, ratio=3.0)
        ],
    )
    ferry.change("out-booth", io=[10, 11])
    echo = next(strip for strip in ferry.plain["strips"] if strip["id"] == "long-echo")
    echo["inserts"][0]["wet"] = 0.7
    ferry.route("send", "duck-trigger", "phones", gain_db=-12.0)
    _levels_and_latencies(ferry, sampler)


def _levels_and_latencies(ferry: Builder, sampler: dict[str, Any]) -> None:
    """Too loud, too late: meters and latencies were not checked since."""
    for outlet in sampler["outlets"]:
        outlet.update(level(-1.0, -13.0))  # the new sounds were never trimmed, and the ensemble builds up
    ferry.change(
        "show-mix",
        fader_db=0.0,
        inserts=[insert("show-ceiling", "Ceiling", "limiter", state="bypassed", ceiling_db=-1.0, latency_samples=256)],
    )
    tape = insert(
        "narration-tape", "Tape machine", "external", latency_samples=64, measured_latency_samples=210,
        io_out=[13, 14], io_in=[13, 14],
    )  # fmt: skip
    ferry.change("narration-bus", inserts=[insert("narration-tone", "Tone", "eq"), tape])
    ferry.change(
        "duck-trigger",
        inserts=[insert("trigger-gate", "Gate", "gate", threshold_db=-30.0, measured_latency_samples=96)],
    )
    swell = insert(
        "ambience-swell", "Swell", "compressor", key="external", threshold_db=-8.0, ratio=4.0, attack_ms=20.0, release_ms=400.0
    )  # fmt: skip
    ferry.change("ambience-bus", inserts=[insert("ambience-eq", "Linear eq", "eq", latency_samples=512), swell])
    ferry.route("key", "bells", "ambience-bus", to_insert="ambience-swell")
