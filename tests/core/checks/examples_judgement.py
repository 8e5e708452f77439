"""Examples of the checks of docs/reference/checks.md, *Habits and slips*: `CASES[code] = (failing, about, passing)`."""

from __future__ import annotations

from typing import Any

from tests.build import template as t


def audio(name: str, peak: float = -6.0, rms: float = -18.0, **fields: Any) -> dict[str, Any]:
    return {"id": name, "kind": "audio", "source": {"peak_dbfs": peak, "rms_dbfs": rms}, **fields}


def strip(strip_id: str, kind: str, *inserts: dict[str, Any], **fields: Any) -> dict[str, Any]:
    return {
        "id": strip_id,
        "kind": kind,
        "inserts": [{"id": f"{strip_id}-{n}", **i} for n, i in enumerate(inserts)],
        **fields,
    }


DUCK = {"type": "compressor", "key": "external", "threshold_db": -30.0, "ratio": 4.0}
LIMITER = {"type": "limiter", "ceiling_db": -1.0}
COMP = {"type": "compressor"}
EQ = {"type": "eq"}
SECTION = [{"id": "s", "name": "S"}]
KIT = {
    "id": "i", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}],
    "parts": [{"id": "a", "name": "Kick", "outlet": "1"}, {"id": "b", "name": "Snare", "outlet": "2"}],
}  # fmt: skip
KICK, SNARE = {"id": "k", "kind": "bus", "name": "Kick"}, {"id": "n", "kind": "bus", "name": "Snare"}


def _gate(threshold_db: float, **fields: Any) -> Any:
    return t(
        [audio("x", inserts=[{"id": "g", "type": "gate", "threshold_db": threshold_db, **fields}]), "o:out"], ["x>out"]
    )


def _chains(*orders: tuple[dict[str, Any], ...]) -> Any:
    names = [f"x{n}" for n in range(len(orders))]
    return t(
        [strip(name, "audio", *order, section="s") for name, order in zip(names, orders, strict=True)], sections=SECTION
    )


def _taps(*taps: str) -> Any:
    names = [f"x{n}" for n in range(len(taps))]
    strips = [{"id": name, "kind": "audio", "section": "s"} for name in names]
    return t([*strips, "b:b"], [f"{name}>b {tap}" for name, tap in zip(names, taps, strict=True)], sections=SECTION)


def _pushed(peak: float, **fields: Any) -> Any:
    return t([audio("x", peak), strip("b", "bus", LIMITER), "o:out"], ["x>b", "b>out"], **fields)


CASES = {
    "trigger.untagged": (
        t(["a:x", strip("b", "bus", DUCK), "o:out"], ["key x>b/b-0"]),
        "x",
        t(["a:x", strip("b", "bus", DUCK), "o:out"], ["key x>b/b-0", "x>out disabled"]),
    ),
    "gate.shut": (_gate(-5.9), "x", _gate(-6.0)),
    "key.ducks-itself": (
        t(["a:x", "a:y", strip("b", "bus", DUCK), "b:k", "o:out"], ["x>b", "x>k", "y>k", "key k>b/b-0", "b>out"]),
        "b",
        t(["a:x", "a:y", strip("b", "bus", DUCK), "b:k", "o:out"], ["x>b", "y>k", "key k>b/b-0", "b>out"]),
    ),
    "print.before-inserts": (
        t(["a:x", strip("p", "print", LIMITER)], ["x>p"]),
        "p",
        t(["a:x", strip("p", "print", LIMITER, records="pre")], ["x>p"]),
    ),
    "print.beside": (
        t(["a:x", "a:y", strip("b", "bus", EQ), "p:p", "o:out"], ["x>b", "y>b", "x>p", "y>p", "b>out"]),
        "p",
        t(["a:x", "a:y", "b:b", "p:p", "o:out"], ["x>b", "y>b", "x>p", "y>p", "b>out"]),
    ),
    "reference.processed": (
        t(["a:x reference", strip("m", "master", EQ), "o:out"], ["x>m", "m>out"]),
        "x",
        t(["a:x reference", strip("m", "master", {"type": "meter"}), "o:out"], ["x>m", "m>out"]),
    ),
    "return.past": (
        t(
            ["a:x", strip("b", "bus", COMP), strip("r", "return", {"type": "reverb"}), "x:m", "o:out"],
            ["x>b", "b>m", "send x>r -10", "r>m", "m>out"],
        ),
        "r",
        t(
            ["a:x", strip("b", "bus", COMP), strip("r", "return", {"type": "reverb"}), "x:m", "o:out"],
            ["x>b", "b>m", "send x>r -10", "r>b", "m>out"],
        ),
    ),
    "stem.undeclared": (
        t(["a:x", "p:p"], ["x>p"]),
        "p",
        t(["a:x", "p:p"], ["x>p"], stems=[{"id": "st", "name": "X", "strip": "x", "print": "p"}]),
    ),
    "pop.alone": (
        t(["a:x pop", "a:y", "p:p", "o:out"], ["x>out", "y>p"]),
        "x",
        t(["a:x pop", "a:y", "p:p", "o:out"], ["x>out", "x>p", "y>p"]),
    ),
    "level.pushed": (_pushed(5.1), "b", _pushed(5.0)),
    "filter.shut": (
        t([strip("x", "audio", {**EQ, "low_cut_hz": 900.0}, {**EQ, "high_cut_hz": 900.0})]),
        "x",
        t([strip("x", "audio", {**EQ, "low_cut_hz": 899.0}, {**EQ, "high_cut_hz": 900.0})]),
    ),
    "filter.lows": (
        t([strip("x", "audio", {**EQ, "low_cut_hz": 80.0}, name="Slap bass")]),
        "x",
        t(
            [
                strip("x", "audio", {**EQ, "low_cut_hz": 79.0}, name="Slap bass"),
                strip("y", "audio", {**EQ, "low_cut_hz": 80.0}, name="Slap"),
            ]
        ),
    ),
    "tap.odd": (_taps("", "", "pre-fader", "", ""), "x2", _taps("", "", "pre-fader", "")),
    "chain.odd": (
        _chains((EQ, COMP), (EQ, COMP), (COMP, EQ), (EQ, COMP)),
        "x2",
        _chains((EQ, COMP), (EQ, COMP), (COMP, EQ)),
    ),
    "part.crossed": (
        t([KIT, KICK, SNARE], ["i>n", "i/2>k"]),
        "i",
        t([KIT, KICK, SNARE], ["i>k", "i/2>n"]),
    ),
    "latency.unstated": (
        t([strip("x", "audio", {**EQ, "latency_samples": None})]),
        "x",
        t([strip("x", "audio", {**EQ, "latency_samples": 0})]),
    ),
}
