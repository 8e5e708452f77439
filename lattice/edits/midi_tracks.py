"""An edit from a Standard MIDI File: a strip for each track of notes, playing an instrument that is there or made."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Piece, Plain, Text
from lattice.edits.described import edit
from lattice.edits.pieces import made
from lattice.errors import EditError
from lattice.model.document import MAX_STRIPS, MidiIn, Route, Strip, Template
from lattice.model.names import free_id, free_route_ids, slug

USUAL_NAME = "Player"


def _words(_template: Template, arguments: dict[str, Any]) -> str:
    many = len(arguments["tracks"])
    return f"Add {many} MIDI strip{'' if many == 1 else 's'}"


@edit(
    Plain("tracks"),
    Piece("instrument", default=None, may_be_none=True),
    Text("name", "name of a new instrument", default=""),
    says=_words,
)
def add_midi_tracks(
    template: Template, tracks: list[dict[str, Any]], instrument: str | None = None, name: str = ""
) -> Template:
    """A midi strip for each track, played into one instrument.

    Parameters
    ----------
    template
        The template.
    tracks
        `name`, and `port` and `channel` from 1 (channel null: several) of each.
    instrument
        The instrument they play; None: one is made, with as many ports as they need.
    name
        Its name.

    Raises
    ------
    EditError
        If the track does not exist, or the target is not an instrument or has too few ports.
    """
    if not tracks or len(template.strips) + len(tracks) + 1 > MAX_STRIPS:
        raise EditError(f"{len(tracks)} tracks; at least one, and at most {MAX_STRIPS} strips are allowed")
    ports = max(int(one.get("port") or 1) for one in tracks)
    taken = {strip.id for strip in template.strips}
    new: list[Strip] = []
    if instrument is None:
        player = Strip(id=free_id(slug(name or USUAL_NAME), taken), name=name or USUAL_NAME, kind="instrument",
                       layout="stereo", midi=MidiIn(ports=ports))  # fmt: skip
        new.append(player)
        taken.add(player.id)
    else:
        player = next((strip for strip in template.strips if strip.id == instrument), None) or _missing(instrument)
    if player.kind != "instrument":
        raise EditError(f"{player.name} is not an instrument")
    if ports > (player.midi.ports if player.midi else 1):
        raise EditError(f"{player.name} has {player.midi.ports if player.midi else 1} ports; {ports} are used")
    ids = free_route_ids(template)
    routes = []
    for one in tracks:
        strip_id = free_id(slug(str(one.get("name", ""))), taken)
        taken.add(strip_id)
        new.append(made(Strip, {"id": strip_id, "kind": "midi", "name": one.get("name")}))
        fields = {"port": one.get("port"), "channel": one.get("channel")}
        routes.append(made(Route, {"id": next(ids), "kind": "midi", "from": strip_id, "to": player.id, **fields}))
    return replace(template, strips=(*template.strips, *new), routes=(*template.routes, *routes))


def _missing(instrument: str) -> Strip:
    raise EditError(f"strip {instrument} does not exist")
