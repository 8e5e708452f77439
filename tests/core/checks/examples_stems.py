"""Examples of the checks of stems, rules, machines and waivers: `CASES[code] = (failing, about, passing)`."""

from __future__ import annotations

from typing import Any

from lattice.model.inventory import Inventory, PlugIn
from tests.build import template as t

INVENTORY = Inventory(
    name="Second studio",
    plugins=(
        PlugIn(name="Glue", maker="Tern Audio", version="2.10"),
        PlugIn(name="Tone"),
        PlugIn(name="Late", latency_samples=64),
    ),
    input_names={"1": "Pulpit"},
)
VERB = {"id": "v", "type": "reverb"}


def stem(strip: str | None, role: str = "stem", **fields: Any) -> dict[str, Any]:
    name = fields.pop("id", f"st-{strip}")
    return {"id": name, "name": name, "role": role, "strip": strip, "layout": "mono", **fields}


def rule(kind: str, **fields: Any) -> dict[str, Any]:
    return {"id": "p1", "name": "Promise", "kind": kind, "sources": ["strip:x"], **fields}


def with_insert(name: str, **fields: Any) -> dict[str, Any]:
    return {"id": "x", "kind": "audio", "inserts": [{"id": "i", "name": name, "type": "compressor", **fields}]}


MONO = {"profile": {"layouts": ["mono"]}}
SET = [stem("drums"), stem("keys"), stem("mix", "mix")]
BUSES = ["b:drums", "b:keys", "x:mix"]
TO_MIX = ["drums>mix", "keys>mix"]
HALL = [{"id": "hall", "kind": "return", "inserts": [VERB]}]
DUCK = {"id": "keys", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor", "key": "external"}]}
FOLD = {"id": "keys", "kind": "bus", "layout": "stereo"}
PRINTED = [stem("drums", print="p")]


def _stems(strips: list[Any], routes: list[Any], stems: list[Any] | None = None, **fields: Any) -> Any:
    return t(strips, routes, stems=SET if stems is None else stems, **MONO, **fields)


def _ruled(kind: str, strips: list[Any], routes: list[Any], **fields: Any) -> Any:
    return t(strips, routes, rules=[rule(kind, **fields)])


def _limited(**source: Any) -> Any:
    mix = {"id": "mix", "kind": "master", "inserts": [{"id": "cap", "type": "limiter", "ceiling_db": -1.0}]}
    return _stems([{"id": "x", "kind": "audio", **source}, "b:drums", "b:keys", mix], ["x>drums", *TO_MIX])


CASES = {
    "mix.limiter-early": (_limited(), "mix", _limited(source={"peak_dbfs": -12.0, "rms_dbfs": -24.0})),
    "stem.missing": (
        _stems(["a:x", *BUSES], ["x>mix", *TO_MIX]), "x",
        _stems(["a:x", *BUSES], ["x>drums", *TO_MIX]),
    ),
    "stem.bypassed": (
        _stems(["a:x", *BUSES], ["x>drums", "send x>mix", *TO_MIX]), "x",
        _stems(["a:x click", *BUSES], ["x>drums", "send x>mix", *TO_MIX]),
    ),
    "stem.twice": (
        _stems(["a:x", *BUSES], ["x>drums", "x>keys", *TO_MIX]), "x",
        _stems(["a:x pop", *BUSES], ["x>drums", "x>keys", *TO_MIX]),
    ),
    "stem.forbidden": (
        _stems(["a:x click", *BUSES], ["x>drums", *TO_MIX]), "x",
        _stems(["a:x click", *BUSES, "o:out"], ["x>out", *TO_MIX]),
    ),
    "stem.pop": (
        _stems(["a:x pop", *BUSES], ["x>drums", *TO_MIX]), "x",
        _stems(["a:x pop", *BUSES], ["x>drums", "x>keys", *TO_MIX]),
    ),
    "stem.leak": (
        _stems(["a:x", "a:y", *BUSES, *HALL], ["x>drums", "y>keys", "send x>hall", "send y>hall", "hall>keys", *TO_MIX]), "hall",
        _stems(["a:x", "a:y", *BUSES, *HALL], ["x>drums", "y>keys", "send y>hall", "hall>keys", *TO_MIX]),
    ),
    "stem.nested": (
        _stems(["a:x", *BUSES], ["x>drums", "drums>keys", "keys>mix"]), "drums",
        _stems(["a:x", *BUSES], ["x>drums", *TO_MIX]),
    ),
    "stem.composite": (
        _stems(["a:x", "a:y", *BUSES, "b:both"], ["x>drums", "y>keys", "drums>both", *TO_MIX], [*SET, stem("both", "composite", of=["st-drums", "st-keys"])]), "both",
        _stems(["a:x", "a:y", *BUSES, "b:both"], ["x>drums", "y>keys", "drums>both", "keys>both", *TO_MIX], [*SET, stem("both", "composite", of=["st-drums", "st-keys"])]),
    ),
    "stem.outside-key": (
        _stems(["a:x", "a:y", "b:drums", DUCK, "x:mix"], ["x>drums", "y>keys", "key drums>keys/duck", *TO_MIX]), "keys",
        _stems(["a:x", "a:y", "b:drums", DUCK, "x:mix"], ["x>drums", "y>keys", "key y>keys/duck", *TO_MIX]),
    ),
    "stem.bent": (
        _stems(["a:x", "b:drums", "b:keys", {"id": "mix", "kind": "master", "inserts": [{"id": "l", "type": "limiter"}]}], ["x>drums", *TO_MIX]), "mix",
        _stems(["a:x", "b:drums", "b:keys", {"id": "mix", "kind": "master", "inserts": [{"id": "l", "type": "eq"}]}], ["x>drums", *TO_MIX]),
    ),
    "stem.unprinted": (
        _stems(["a:x", "b:drums"], ["x>drums"], [stem("drums")]), "drums",
        _stems(["a:x", "b:drums", "p:p"], ["x>drums", "drums>p"], PRINTED),
    ),
    "stem.print-differs": (
        _stems(["a:x", "b:drums", "p:p"], ["x>drums", "drums>p -3"], PRINTED), "p",
        _stems(["a:x", "b:drums", "p:p"], ["x>drums", "drums>p"], PRINTED),
    ),
    "stem.layout": (
        _stems(["b:drums", FOLD], [], [stem("drums"), stem("keys")]), "keys",
        _stems(["b:drums", FOLD], [], [stem("drums"), stem("keys", layout="stereo")]),
    ),
    "rule.broken": (
        _ruled("avoids", ["a:x", "b:y", "o:out"], ["x>y", "y>out"], through=["strip:y"]), "x",
        _ruled("avoids", ["a:x", "b:y", "o:out"], ["x>out"], through=["strip:y"]),
    ),
    "plugin.missing": (
        t([with_insert("Other")]), "x",
        t([with_insert(" glue", maker="tern audio")]),
    ),
    "plugin.older": (
        t([with_insert("Glue", maker="Tern Audio", version="2.11")]), "x",
        t([with_insert("Glue", maker="Tern Audio", version="2.9.4")]),
    ),
    "plugin.latency": (
        t([with_insert("Late", latency_samples=32)]), "x",
        t([with_insert("Late", latency_samples=64)]),
    ),
    "io.renamed": (
        t([{"id": "x", "kind": "input", "io": [1]}], machines=[{"id": "main", "name": "M", "input_names": {"1": "Synth"}}]), "x",
        t([{"id": "x", "kind": "input", "io": [1]}], machines=[{"id": "main", "name": "M", "input_names": {"1": "pulpit"}}]),
    ),
    "budget.memory": (
        t([with_insert("Tone", memory_mb=600), {"id": "i", "kind": "instrument", "memory_mb": 500}], machines=[{"id": "main", "name": "M", "memory_mb": 1000}]), "x",
        t([with_insert("Tone", memory_mb=600, state="unloaded"), {"id": "i", "kind": "instrument", "memory_mb": 500}], machines=[{"id": "main", "name": "M", "memory_mb": 1000}]),
    ),
    "waiver.stale": (
        t(["b:x"], waivers=[{"fingerprint": "0" * 16, "reason": "meant"}]), None,
        t(["b:x"]),
    ),
}  # fmt: skip
