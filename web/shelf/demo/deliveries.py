"""The deliverables of “Night Ferry”: a 5.1 and a stereo mix with six stems each, prints, music and effects, rules."""

from __future__ import annotations

from lattice.checks import audit
from web.shelf.demo.builder import Builder, insert

BOOTH_SENDS = (("narration-en", -6.0), ("narration-fr", -6.0), ("music", -14.0))
STEMS = (  # id, name, taken from, layout, taken from for the stereo set, layout there
    ("narration", "Narration", "narration-bus", "stereo", "narration-bus", "stereo"),
    ("ensemble", "Ensemble", "ensemble-bus", "stereo", "ensemble-bus", "stereo"),
    ("choir", "Choir", "choir-bus", "stereo", "choir-bus", "stereo"),
    ("ambience", "Ambience", "ambience-bus", "5.1", "ambience-stereo", "stereo"),
    ("effects", "Effects", "effects-bus", "stereo", "effects-bus", "stereo"),
    ("echoes", "Echoes", "echoes", "stereo", "echoes", "stereo"),
)
PLUGINS = {  # by the name of an insert: maker, version
    "Level": ("Northmark", "2.4.1"), "Hall": ("Tern Audio", "3.2"), "Room": ("Tern Audio", "3.2"), "Echo": ("Tern Audio", "1.8"),
    "Long hall": ("Tern Audio", "3.2"), "Ceiling": ("Harbour Works", "5.0.3"), "Linear eq": ("Harbour Works", "4.1"),
    "Duck": ("Northmark", "2.4.1"),
}  # fmt: skip


def mixes(ferry: Builder) -> None:
    """Submixes, the 5.1 mix, the stereo mix, music and effects, headphones, outputs."""
    ferry.strip("music", "Music", "bus", "stereo", fader_db=-1.5)
    ferry.strip("echoes", "Echoes", "bus", "stereo", feed="effects-amb")
    ferry.strip("effects-amb", "Effects and ambience", "bus", "5.1")
    for start, end in (
        ("ensemble-bus", "music"),
        ("choir-bus", "music"),
        ("effects-bus", "effects-amb"),
        ("ambience-bus", "effects-amb"),
    ):
        ferry.route("feed", start, end)
    ceiling = insert("show-ceiling", "Ceiling", "limiter", ceiling_db=-1.0, latency_samples=256)
    ferry.strip("show-mix", "Show mix 5.1", "master", "5.1", fader_db=-4.0, inserts=[ceiling])
    for start in ("narration-bus", "music", "effects-amb"):
        ferry.route("feed", start, "show-mix")
    ferry.strip("ambience-stereo", "Ambience, stereo", "bus", "stereo")
    ferry.route("feed", "ambience-bus", "ambience-stereo")
    fold_ceiling = insert("fold-ceiling", "Ceiling", "limiter", ceiling_db=-1.0, latency_samples=256)
    ferry.strip("stereo-mix", "Show mix stereo", "master", fader_db=-4.0, inserts=[fold_ceiling], feed="out-stereo")
    for start in ("narration-bus", "music", "effects-bus", "echoes", "ambience-stereo"):
        ferry.route("feed", start, "stereo-mix")
    ferry.strip("music-effects", "Music and effects", "master", "5.1", fader_db=-4.0)
    for start in ("music", "effects-amb"):
        ferry.route("feed", start, "music-effects")
    _listening(ferry)


def _listening(ferry: Builder) -> None:
    ferry.strip("phones", "Phones", "bus", "stereo", feed="out-phones")
    ferry.route("send", "show-mix", "phones", gain_db=-6.0)
    ferry.strip("booth-cue", "Booth cue", "bus", "stereo", feed="out-booth")
    for start, level_db in BOOTH_SENDS:  # headphones: before the fader
        ferry.send(start, "booth-cue", level_db, tap="pre-fader")
    ferry.strip("out-booth", "Booth 11–12", "output", io=[11, 12])
    ferry.strip("out-show", "Out 1–6", "output", "5.1", io=[1, 2, 3, 4, 5, 6])
    ferry.route("feed", "show-mix", "out-show")
    ferry.strip("out-stereo", "Out 7–8", "output", io=[7, 8])
    ferry.strip("out-phones", "Phones 9–10", "output", io=[9, 10])


def prints(ferry: Builder) -> None:
    """Six stems in each of two sets; stems equal in both are printed once."""
    for key, name, strip, layout, *_stereo in STEMS:
        ferry.strip(f"print-{key}", f"{name} print", "print", layout)
        ferry.route("feed", strip, f"print-{key}")
        ferry.stem(f"st-{key}", name, strip, f"print-{key}", layout=layout, set="5.1", returns=_returns(key))
    for key, name, strip, layout in (
        ("mix", "Mix 5.1", "show-mix", "5.1"),
        ("stereo", "Mix stereo", "stereo-mix", "stereo"),
        ("ambience-stereo", "Ambience stereo", "ambience-stereo", "stereo"),
        ("music-effects", "Music and effects", "music-effects", "5.1"),
    ):
        ferry.strip(f"print-{key}", f"{name} print", "print", layout)
        ferry.route("feed", strip, f"print-{key}")
    ferry.stem("mix-mix", "Mix 5.1", "show-mix", "print-mix", role="mix", layout="5.1", set="5.1")
    parts = [f"st-{key}" for key, *_rest in STEMS if key != "narration"]
    ferry.stem(
        "music-and-effects", "Music and effects", "music-effects", "print-music-effects", role="composite", layout="5.1", set="5.1", of=parts
    )  # fmt: skip
    for key, name, _strip, _layout, strip, layout in STEMS:
        printed = "print-ambience-stereo" if key == "ambience" else f"print-{key}"
        ferry.stem(f"s2-{key}", name, strip, printed, layout=layout, set="stereo", returns=_returns(key))
    ferry.stem("mix-stereo", "Mix stereo", "stereo-mix", "print-stereo", role="mix", layout="stereo", set="stereo")


def _returns(key: str) -> str:
    """Echoes is the stem of effect returns; all others have those of their own sources only."""
    return "all" if key == "echoes" else "own"


def promises(ferry: Builder) -> None:
    ferry.plain["rules"] = [
        {"id": "reference-clean", "name": "Reference stays clean", "kind": "avoids", "sources": ["tag:reference"], "through": ["kind:master"]},
        {"id": "click-in-no-print", "name": "Click reaches no print", "kind": "isolated", "sources": ["tag:click"], "to": ["kind:print"]},
        {"id": "music-ducks", "name": "Music ducks under narration", "kind": "ducked-by", "sources": ["section:ensemble", "section:choir"], "through": ["strip:duck-trigger"]},
        {"id": "booth-before-fader", "name": "Booth sends are pre-fader", "kind": "pre-fader", "sources": ["section:narration"], "to": ["strip:booth-cue"]},
        {"id": "all-through-mix", "name": "Everything passes the mix", "kind": "passes", "sources": ["*", "!tag:trigger"], "through": ["strip:show-mix"], "to": ["strip:out-show"]},
    ]  # fmt: skip
    ferry.plain.setdefault("waivers", [])


def plugins(ferry: Builder) -> None:
    """Makers and versions of plug-ins that are not part of the host."""
    for strip in ferry.plain["strips"]:
        for piece in strip.get("inserts", ()):
            if piece["name"] in PLUGINS:
                piece["maker"], piece["version"] = PLUGINS[piece["name"]]


WAIVED = {  # code: why
    "stem.outside-key": "the dub replaces the narration, so it may duck the same beds",
    "route.folded": "the stereo set is an intended fold-down of the beds",
}


def waive(ferry: Builder) -> None:
    """Decisions on the two findings that are meant so."""
    for finding in audit(ferry.template()).findings:
        if finding.code in WAIVED and (finding.severity == "warning" or "ambience-stereo" in finding.strips):
            ferry.plain["waivers"].append(
                {
                    "fingerprint": finding.fingerprint,
                    "reason": WAIVED[finding.code],
                    "by": "I. Strand",
                    "on": "2026-10-30",
                }
            )
