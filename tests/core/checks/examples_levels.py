"""Examples of the families *Levels* and *Timing*, as in examples.py."""

from __future__ import annotations

from tests.build import template as t


def audio(name: str, peak: float = -6.0, rms: float = -18.0, **fields: object) -> dict:
    return {"id": name, "kind": "audio", "source": {"peak_dbfs": peak, "rms_dbfs": rms}, **fields}


def bus(name: str, *inserts: dict, kind: str = "bus", **fields: object) -> dict:
    return {"id": name, "kind": kind, "inserts": [{"id": f"{name}-{n}", **i} for n, i in enumerate(inserts)], **fields}


def mix(**fields: object) -> list[dict]:
    return [{"id": "st", "name": "Mix", "role": "mix", "strip": "m", **fields}]


LIMITER = {"type": "limiter", "ceiling_db": -1.0}
LATE = {"type": "eq", "latency_samples": 480}
OFF = {"compensation": {"mode": "off"}}
DUCK = {"type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 4.0}
TWO_PRINTS = [
    {"id": "sa", "name": "A", "strip": "a", "print": "p"},
    {"id": "sb", "name": "B", "strip": "b", "print": "q"},
]
LIVE = {"id": "n", "kind": "input"}

CASES = {
    "level.over": (
        t([audio("x", 1.0), "o:out"], ["x>out"]), "out",
        t([audio("x", 0.0), "o:out"], ["x>out"]),
    ),
    "level.headroom": (
        t([audio("x", -5.0), "x:m", "o:out"], ["x>m", "m>out"], stems=mix()), "m",
        t([audio("x", -6.0), "x:m", "o:out"], ["x>m", "m>out"], stems=mix()),
    ),
    "level.internal-over": (
        t([audio("x", 7.0), bus("b", {"type": "eq"}), "o:out"], ["x>b", "b>out -20"]), "b",
        t([audio("x", 6.0), bus("b", {"type": "eq"}), "o:out"], ["x>b", "b>out -20"]),
    ),
    "level.operating": (
        t([audio("x", rms=-31.0), bus("b", {"type": "saturator"})], ["x>b"]), "b",
        t([audio("x", rms=-30.0), bus("b", {"type": "saturator"})], ["x>b"]),
    ),
    "level.build-up": (
        t([audio("x", -4.0), audio("y", -4.0), audio("z", -4.0), bus("b")], ["x>b", "y>b", "z>b"]), "b",
        t([audio("x", -1.0), audio("y", -20.0), bus("b")], ["x>b", "y>b"]),
    ),
    "level.ceiling": (
        t([audio("x", 0.0), "x:m", "o:out"], ["x>m", "m>out"]), "m",
        t([audio("x", 0.0), bus("m", LIMITER, kind="master"), "o:out"], ["x>m", "m>out"]),
    ),
    "level.limiter-order": (
        t([audio("x", 0.0), bus("m", LIMITER, {"type": "eq"}, kind="master"), "o:out"], ["x>m", "m>out"]), "m",
        t([audio("x", 0.0), bus("m", {"type": "eq"}, LIMITER, {"type": "meter"}, kind="master"), "o:out"], ["x>m", "m>out"]),
    ),
    "level.idle": (
        t(["a:x", "b:b", "o:out"], ["x>out", "send x>b off"]), "x",
        t(["a:x", "b:b", "o:out"], ["x>out", "send x>b off automated", "send x>b off disabled"]),
    ),
    "key.quiet": (
        t([audio("k", -31.0), bus("b", DUCK)], ["key k>b/b-0"]), "b",
        t([audio("k", -30.0), bus("b", DUCK)], ["key k>b/b-0"]),
    ),
    "time.misaligned": (
        t(["a:x", "a:y", bus("b", LATE), "x:m"], ["x>b", "b>m", "y>m"], **OFF), "m",
        t(["a:x", "a:y", bus("b", LATE), "x:m"], ["x>b", "b>m", "y>m"]),
    ),
    "time.key-late": (
        t(["a:x", "a:k", bus("t", LATE), bus("b", DUCK)], ["x>b", "k>t", "key t>b/b-0"], **OFF), "b",
        t(["a:x", "a:k", bus("t", LATE), bus("b", DUCK)], ["x>b", "k>t", "key t>b/b-0"]),
    ),
    "time.limit": (
        t(["a:x", "a:y", bus("b", LATE), "x:m"], ["x>b", "b>m", "y>m"], compensation={"limit_samples": 479}), "y",
        t(["a:x", "a:y", bus("b", LATE), "x:m"], ["x>b", "b>m", "y>m"], compensation={"limit_samples": 480}),
    ),
    "time.monitor": (
        t([LIVE, bus("b", LATE), "o:out"], ["n>b", "b>out"]), "n",
        t([LIVE, bus("b", {"type": "eq", "latency_samples": 100}), "o:out"], ["n>b", "b>out"]),
    ),
    "time.unreported": (
        t([bus("b", {"type": "external", "latency_samples": 64, "measured_latency_samples": 90})]), "b",
        t([bus("b", {"type": "external", "latency_samples": 64, "measured_latency_samples": 64})]),
    ),
    "time.total": (t(["a:x", bus("b", LATE), "o:out"], ["x>b", "b>out"]), "out", t(["a:x", "o:out"], ["x>out"])),
    "time.prints-skewed": (
        t(["a:x", "a:y", "b:a", bus("b", LATE), "p:p", "p:q"], ["x>a", "y>b", "a>p", "b>q"], stems=TWO_PRINTS, compensation={"covers_prints": False}), "q",
        t(["a:x", "a:y", "b:a", bus("b", LATE), "p:p", "p:q"], ["x>a", "y>b", "a>p", "b>q"], stems=TWO_PRINTS),
    ),
    "time.frames": (
        t(["a:x guide"]), "x",
        t(["a:x guide"], frame_rate="25"),
    ),
    "time.delay-note": (
        t([bus("b", {"type": "delay", "delay_ms": 360})]), "b",
        t([bus("b", {"type": "delay", "delay_ms": 166})]),
    ),
    "time.tempo-start": (
        t([], timeline={"first_bar": 5, "tempo": [{"bar": 9, "bpm": 96.0}]}), None,
        t([], timeline={"first_bar": 5, "tempo": [{"bar": 1, "bpm": 90.0}, {"bar": 5, "bpm": 96.0}]}),
    ),
    "time.programme": (
        t([], timeline={"end_bar": 40, "markers": [{"name": "Coda", "bar": 41}]}), None,
        t([], timeline={"end_bar": 40, "markers": [{"name": "Coda", "bar": 40}, {"name": "Start", "bar": 1}]}),
    ),
    "time.rate": (t([], sample_rate_hz=44100), None, t([])),
}  # fmt: skip
