"""Backgrounds and effects to picture: two sides that alternate and a third for late inserts, rows through panners."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, insert, level
from web.shelf.starting.parts import COLOURS, add_mix

SIDES = (("side-a", "Side A"), ("side-b", "Side B"), ("late", "Late inserts"))
MONO_ROWS = ("L", "R", "Ls", "Rs")  # where the panner of a side puts its mono rows
STEREO_ROWS = 3
LAYOUT = "5.1"


def backgrounds() -> Template:
    """Two sides A and B that alternate from scene to scene, a third side on top, each with mono and stereo rows."""
    kit = Builder(
        "Backgrounds to picture", frame_rate="24", profile={"name": "Picture", "layouts": [LAYOUT], "frame_rate": "24"}
    )
    kit.machine("main", "Main computer", inputs=8, outputs=16)
    for (key, name), colour in zip(SIDES, COLOURS, strict=False):
        kit.section(key, name, colour, f"{key}-bus")
        _side(kit, key, name)
    kit.section("service", "Service", COLOURS[3])
    kit.strip("guide", "Guide picture sound", "audio", section="service", tags=["guide"], feed="phones")
    kit.strip("phones", "Phones", "output", section="service", io=[9, 10])
    add_mix(kit, [f"{key}-bus" for key, _name in SIDES], LAYOUT, tuple(range(1, 7)))
    sides = [f"section:{key}" for key, _name in SIDES[:2]]
    kit.plain["choices"] = [{"id": "sides", "name": "Sides", "members": sides, "sounding": 1, "by": "turn"}]
    return kit.template()


def _side(kit: Builder, key: str, name: str) -> None:
    """Rows of a side: mono ones on the inputs of a panner, stereo ones into its bus, a backup, a print."""
    for number, _position in enumerate(MONO_ROWS, start=1):
        own = kit.strip(f"{key}-mono-{number}", f"{name} mono {number}", "audio", "mono", section=key, fader_db=-6.0,
                        **level(-12.0, -28.0))  # fmt: skip
        kit.route("feed", own, f"{key}-panner", channels=[[1, number]])
    panner = insert(f"{key}-pan", "Panner", "panner", layout_out=LAYOUT, positions=list(MONO_ROWS))
    kit.strip(f"{key}-panner", f"{name} mono rows", "bus", f"discrete:{len(MONO_ROWS)}", section=key,
              inserts=[panner], feed=f"{key}-bus")  # fmt: skip
    for number in range(1, STEREO_ROWS + 1):
        kit.strip(f"{key}-stereo-{number}", f"{name} stereo {number}", "audio", section=key, feed=f"{key}-bus",
                  fader_db=-6.0, **level(-12.0, -28.0))  # fmt: skip
    kit.strip(f"{key}-backup", f"{name} backup", "audio", section=key, tags=["backup"])
    kit.strip(f"{key}-bus", name, "bus", LAYOUT, section=key, fader_db=-3.0)
    kit.strip(f"{key}-print", f"{name} print", "print", LAYOUT, section=key)
    kit.route("feed", f"{key}-bus", f"{key}-print")
    kit.stem(key, name, f"{key}-bus", f"{key}-print", layout=LAYOUT)
