"""Random templates with levels, latencies and inserts of every kind; routes run forward, so that none loops."""

from __future__ import annotations

from typing import Any

import msgspec
from hypothesis import strategies as st

from lattice.model.document import Template
from lattice.model.validate import problems

KINDS = ("audio", "instrument", "input", "bus", "bus", "return", "master", "print", "output")
LAYOUTS = ("mono", "stereo", "stereo", "5.1", "discrete:2")
LINEAR = ("eq", "gain", "gate", "meter", "external")
ANY = (*LINEAR, "compressor", "limiter", "clipper", "saturator", "reverb", "delay", "modulation", "panner")
gains = st.sampled_from([0.0, 0.0, -6.0, 3.5, -20.0])
latencies = st.sampled_from([0, 0, 1, 64, 333])


@st.composite
def inserts(draw: st.DrawFn, id_: str, linear: bool) -> dict[str, Any]:
    kind = draw(st.sampled_from(LINEAR if linear else ANY))
    made: dict[str, Any] = {
        "id": id_, "type": kind, "gain_db": draw(gains), "latency_samples": draw(latencies),
        "state": "on" if linear else draw(st.sampled_from(["on", "on", "on", "bypassed", "unloaded"])),
        "wet": 1.0 if linear else draw(st.sampled_from([1.0, 1.0, 0.3, 0.0])),
    }  # fmt: skip
    if kind == "compressor":
        made |= {
            "threshold_db": draw(st.sampled_from([None, -30.0, -12.0])),
            "ratio": draw(st.sampled_from([None, 2.0, 4.0, 100.0])),
        }
        made["key"] = draw(st.sampled_from(["none", "none", "external"]))
    if kind in ("limiter", "clipper", "saturator"):
        made["ceiling_db"] = draw(st.sampled_from([None, -12.0, -1.0]))
    if kind == "delay":
        made["feedback"] = draw(st.sampled_from([0.0, 0.4]))
    if kind == "panner" or (not linear and draw(st.integers(0, 9)) == 0):
        made["layout_out"] = draw(st.sampled_from(["mono", "stereo", "5.1"]))
    return made


@st.composite
def flows(draw: st.DrawFn, *, linear: bool = False, most: int = 8) -> Template:
    strips: list[dict[str, Any]] = []
    for number in range(draw(st.integers(2, most))):
        kind = draw(st.sampled_from(KINDS))
        strip: dict[str, Any] = {
            "id": f"s{number}", "name": f"S{number}", "kind": kind, "layout": draw(st.sampled_from(LAYOUTS)),
            "fader_db": draw(st.sampled_from([0.0, -3.0, -10.0, None])), "pan": draw(st.sampled_from([0.0, 0.5, -1.0])),
            "invert": draw(st.booleans()), "mute": draw(st.integers(0, 9)) == 0, "monitor": draw(st.sampled_from(["never", "always"])),
            "latency_samples": draw(latencies) if kind == "instrument" else 0,
            "inserts": [draw(inserts(f"i{number}-{n}", linear)) for n in range(draw(st.integers(0, 2)))],
        }  # fmt: skip
        if draw(st.booleans()):
            strip["source"] = {
                "peak_dbfs": draw(st.sampled_from([0.0, -6.0, -30.0])),
                "rms_dbfs": draw(st.sampled_from([-30.0, -40.0])),
            }
        if kind == "instrument" and draw(st.booleans()):
            strip["outlets"] = [
                {"id": "a", "layout": strip["layout"]},
                {"id": "b", "layout": draw(st.sampled_from(["mono", "stereo"]))},
            ]
        strips.append(strip)
    routes: list[dict[str, Any]] = []
    for number in range(draw(st.integers(1, 14))):
        start = draw(st.integers(0, len(strips) - 2))
        end = draw(st.integers(start + 1, len(strips) - 1))
        route: dict[str, Any] = {
            "id": f"r{number}", "from": f"s{start}", "to": f"s{end}", "kind": draw(st.sampled_from(["feed", "feed", "send"])),
            "tap": draw(st.sampled_from(["pre-insert", "pre-fader", "post-fader", "post-fader"])), "gain_db": draw(st.sampled_from([0.0, 0.0, -10.0, None])),
            "pan": draw(st.sampled_from([0.0, -0.25, 1.0])), "enabled": draw(st.integers(0, 9)) > 0,
        }  # fmt: skip
        keyed = [insert["id"] for insert in strips[end]["inserts"] if insert["type"] in ("compressor", "gate")]
        if keyed and draw(st.integers(0, 3)) == 0:
            route |= {"kind": "key", "to_insert": keyed[0]}
        elif draw(st.integers(0, 9)) == 0:
            route["channels"] = draw(st.sampled_from([[[1, 1]], [[1, 2], [2, 1]], [[1, 1], [2, 1]]]))
        if strips[start].get("outlets") and draw(st.booleans()):
            route["from_outlet"] = "b"
        routes.append(route)
    whole: dict[str, Any] = {
        "name": "Flow", "strips": strips, "routes": routes, "pan_law_db": draw(st.sampled_from([0.0, -3.0, -4.5, -6.0])), "buffer_samples": 64,
        "machines": [{"id": "main", "name": "Main", "input_latency_samples": 32, "output_latency_samples": 16}],
        "compensation": {"mode": draw(st.sampled_from(["full", "full", "off"])), "limit_samples": draw(st.sampled_from([None, None, 100])), "covers_keys": draw(st.booleans())},
    }  # fmt: skip
    made = msgspec.convert(whole, Template)
    refused = {int(said.split("[")[1].split("]")[0]) for said in problems(made) if said.startswith("routes[")}
    whole["routes"] = [route for number, route in enumerate(routes) if number not in refused]
    return msgspec.convert(whole, Template)
