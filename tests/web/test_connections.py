"""Side-chains and Ports, against a small template."""

from __future__ import annotations

from django.test import Client

from tests.build import template
from web.editor.places import keys, ports
from web.shelf import services
from web.shelf.workspace import Workspace

DUCK = {"id": "duck", "type": "compressor", "key": "external"}
MADE = template(
    [
        {"id": "kit", "name": "Kit", "kind": "instrument", "midi": {"ports": 2, "channels": [1, 2, 3]},
         "outlets": [{"id": "1"}, {"id": "2"}], "parts": [{"id": "k", "name": "Kick"}, {"id": "s", "name": "Snare", "outlet": "2"}]},
        "m:one", "m:two", "a:key", "a:pad",
        {"id": "bus", "kind": "bus", "inserts": [DUCK, {**DUCK, "id": "off", "state": "bypassed"}]},
        {"id": "out", "kind": "output", "layout": "stereo", "io": [3, 4]},
    ],
    ["kit>bus", "kit/2>pad", "bus>out", "key key>bus/duck", "key key>bus/off",
     {"kind": "midi", "from": "one", "to": "kit", "channel": 2}, {"kind": "midi", "from": "two", "to": "kit", "port": 1, "channel": 2}],
)  # fmt: skip


def test_keys_say_who_ducks_whom_and_what_sleeps() -> None:
    rows = keys.keys(Workspace(MADE))
    assert [(row["insert"].id, row["awake"], row["why"]) for row in rows] == [
        ("duck", True, ""),
        ("off", False, "bypassed"),
    ]
    assert rows[0]["ducked"] == ["Kit 1"]


def test_outlets_stand_beside_their_parts_and_takers() -> None:
    (kit,) = ports.instruments(MADE, "")
    shown = [
        (row["outlet"].id, [part.name for part in row["parts"]], [strip.id for strip in row["takers"]])
        for row in kit["outlets"]
    ]
    assert shown == [("1", ["Kick"], ["bus"]), ("2", ["Snare"], ["pad"])]


def test_a_board_has_sixteen_channels_a_port_free_taken_shared_or_filtered() -> None:
    (kit,) = ports.instruments(MADE, "")
    states = [[cell["state"] for cell in board["cells"]] for board in kit["boards"]]
    assert [len(row) for row in states] == [16, 16]
    assert states[0][:4] == ["free", "shared", "free", "filtered"]
    assert kit["boards"][1]["free"] == 3


def test_physical_channels_by_machine() -> None:
    (main,) = ports.machines(MADE)
    assert [row["channel"] for row in dict(main["sides"])["output"] if row["strips"]] == [3, 4]
    assert len(dict(main["sides"])["input"]) == 8


def test_the_pages_show_them(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, MADE)
    assert "inactive: bypassed" in signed_in.get(f"/t/{stored.pk}/keys/").content.decode()
    page = signed_in.get(f"/t/{stored.pk}/ports/").content.decode()
    assert "Kit" in page
    assert 'class="shared"' in page
