"""An orchestra on two machines: notes on the main one, players on the second, a tie for each family."""

from __future__ import annotations

from lattice.model.document import Template
from web.shelf.demo.builder import Builder, level
from web.shelf.starting.parts import COLOURS, add_mix, add_return

FAMILIES = (
    ("woodwinds", "Woodwinds", ("Flutes", "Oboes", "Clarinets", "Bassoons")),
    ("brass", "Brass", ("Horns", "Trumpets", "Trombones", "Tuba")),
    ("percussion", "Percussion", ("Timpani", "Drums", "Mallets")),
    ("strings", "Strings", ("Violins one", "Violins two", "Violas", "Cellos", "Basses")),
)


def orchestra() -> Template:
    """Sixteen note strips, four players on a second machine, four families with prints."""
    kit = Builder("Orchestra on two machines", tempo_bpm=96.0)
    kit.machine("main", "Main computer", inputs=16, outputs=4)
    kit.machine("players", "Players", outputs=16, midi_ports=4)
    for number, ((key, name, players), colour) in enumerate(zip(FAMILIES, COLOURS, strict=False), start=1):
        kit.section(key, name, colour, f"{key}-bus")
        _family(kit, key, name, players, number)
    add_return(kit, "near", "Near hall", "mix")
    add_return(kit, "far", "Far hall", "mix")
    add_mix(kit, [f"{key}-bus" for key, _name, _players in FAMILIES])
    return kit.template()


def _family(kit: Builder, key: str, name: str, players: tuple[str, ...], number: int) -> None:
    """Notes on a port of their own, one instrument on the second machine, its tie back, bus and print."""
    for channel, player in enumerate(players, start=1):
        notes = f"{player.lower().replace(' ', '-')}-notes"
        kit.strip(notes, f"{player} notes", "midi", section=key)
        kit.route("midi", notes, f"{key}-player", port=number, channel=channel)
    channels = [2 * number - 1, 2 * number]
    kit.strip(f"{key}-player", f"{name} player", "instrument", section=key, machine="players",
              midi={"ports": number, "channels": "all"}, feed=f"{key}-out", **level(-9.0, -24.0))  # fmt: skip
    kit.strip(f"{key}-out", f"{name} out", "output", section=key, machine="players", io=channels)
    kit.strip(f"{key}-in", f"{name} in", "input", section=key, io=channels, feed=f"{key}-bus", fader_db=-4.0)
    kit.route("tie", f"{key}-out", f"{key}-in")
    kit.strip(f"{key}-bus", name, "bus", section=key, fader_db=-4.0)
    kit.send(f"{key}-bus", "near", -16.0)
    kit.send(f"{key}-bus", "far", -14.0)
    kit.strip(f"{key}-print", f"{name} print", "print", section=key)
    kit.route("feed", f"{key}-bus", f"{key}-print")
    kit.stem(key, name, f"{key}-bus", f"{key}-print", returns="all")
