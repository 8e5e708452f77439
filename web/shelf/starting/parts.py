"""Parts that several starters have."""

from __future__ import annotations

from web.shelf.demo.builder import Builder, insert

COLOURS = ("#8a4b2d", "#2d6488", "#5b7a35", "#7a4a86", "#a06a1f", "#2f7d74")


def add_mix(kit: Builder, buses: list[str], layout: str = "stereo", io: tuple[int, ...] = (1, 2)) -> None:
    """A master with a ceiling, fed by buses, into outputs and a print."""
    ceiling = insert("mix-ceiling", "Ceiling", "limiter", ceiling_db=-1.5)
    kit.strip("mix", "Mix", "master", layout, inserts=[ceiling], feed="out-main")
    for bus in buses:
        kit.route("feed", bus, "mix")
    kit.strip("mix-print", "Mix print", "print", layout)
    kit.route("feed", "mix", "mix-print")
    kit.strip("out-main", f"Out {io[0]}–{io[-1]}", "output", layout, io=list(io))
    kit.stem("mix", "Mix", "mix", "mix-print", role="mix", layout=layout)


def add_return(kit: Builder, key: str, name: str, feed: str, layout: str = "stereo") -> None:
    verb = insert(f"{key}-verb", name, "reverb", low_cut_hz=180.0)
    kit.strip(key, name, "return", layout, inserts=[verb], feed=feed)
