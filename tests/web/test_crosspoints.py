"""The crosspoints: content of the cells, and adding, setting and removing many at once."""

from __future__ import annotations

from typing import Any

import pytest
from django.test import Client

from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from tests.build import template
from web.editor.places.crosspoints import grid
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace


def cells(client: Client, base: int = 1, **values: str) -> Any:
    pk = StoredTemplate.objects.get().pk
    return client.post(f"/t/{pk}/write/put_cells/", {"base": base, "place": "crosspoints", "grid": "sound", **values})


def routes() -> list[tuple[str, str, str, float | None]]:
    made = workspace(StoredTemplate.objects.get()).template
    return [(route.kind, route.from_strip, route.to, route.gain_db) for route in made.routes]


def shown(made: Template, kind: str) -> list[list[dict[str, Any]]]:
    """Rows, columns and cells as the browser reads them."""
    sent = grid(SignalGraph(made), kind)
    return [
        [dict(zip(sent[part]["columns"], row, strict=True)) for row in sent[part]["rows"]]
        for part in ("rows", "cols", "cells")
    ]


def test_rows_columns_and_cells() -> None:
    kit = {"id": "kit", "kind": "instrument", "outlets": [{"id": "1"}, {"id": "2"}]}
    keyed = {"id": "bus", "kind": "bus", "inserts": [{"id": "duck", "type": "compressor"}]}
    made = template(
        [kit, "a:take always silent", keyed, "m:notes", "o:out"],
        ["kit>bus", "kit/2>take", "send take>bus -12 pre-fader", "key take>bus/duck", {"kind": "midi", "from": "notes", "to": "kit", "channel": 3}],
    )  # fmt: skip
    heads, columns, cells_of_sound = shown(made, "sound")
    assert [row["id"] for row in heads] == ["kit", "kit/2", "take", "bus"]
    assert [col["id"] for col in columns] == ["bus", "out", "take"]
    assert [(cell["row"], cell["col"]) for cell in cells_of_sound] == [
        ("kit", "bus"),
        ("kit/2", "take"),
        ("take", "bus"),
    ]
    send = {
        "kind": "send",
        "gain_db": -12.0,
        "tap": "pre-fader",
        "enabled": True,
        "port": "",
        "id": "r3",
        "is_listed": False,
    }
    assert cells_of_sound[2] == {"row": "take", "col": "bus", **send}
    assert [(cell["row"], cell["col"]) for cell in shown(made, "key")[2]] == [("take", "bus/duck")]
    assert shown(made, "midi")[2][0]["port"] == "1·3"
    assert shown(made, "tie")[2] == []


def test_many_are_put_in_one_step_and_taken_in_one(signed_in: Client, stored: StoredTemplate) -> None:
    answer = cells(signed_in, do="put", kind="send", cells="kick|out lost|out lost|bus", gain_db="-14")
    assert answer.status_code == 200
    assert 'id="grid-data"' in answer.content.decode()
    assert routes()[2:] == [
        ("send", "kick", "out", -14.0),
        ("send", "lost", "out", -14.0),
        ("send", "lost", "bus", -14.0),
    ]
    assert (
        cells(signed_in, base=2, do="take", kind="send", cells="kick|out lost|out lost|bus kick|bus").status_code == 200
    )
    assert routes() == [("feed", "bus", "out", 0.0)]
    stored.refresh_from_db()
    assert stored.version == 3


def test_a_level_is_set_where_there_is_a_route_and_makes_a_send_where_there_is_none(
    signed_in: Client, stored: StoredTemplate, made: Template
) -> None:
    cells(signed_in, do="level", kind="feed", cells="kick|bus lost|bus", gain_db="-3,5")
    assert [gain_db for _kind, _start, end, gain_db in routes() if end == "bus"] == [-3.5, -3.5]
    assert routes()[-1][:2] == ("send", "lost")


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"cells": ""}, "0 crosspoints are selected"),
        ({"cells": "kick|bus"}, "need no change"),
        ({"cells": "lost|bus", "do": "take"}, "have no routes"),
        ({"cells": "lost|nowhere"}, "strip nowhere does not exist"),
        ({"cells": "lost|bus", "kind": "send", "gain_db": "loud"}, "“loud” is not a level"),
        ({"cells": "lost|bus", "kind": "key"}, "to_insert is missing"),
    ],
)
def test_refused_with_a_sentence(signed_in: Client, stored: StoredTemplate, values: dict[str, str], words: str) -> None:
    answer = cells(signed_in, **{"do": "put", "kind": "feed", **values})
    assert answer.status_code == 422
    assert words in answer.content.decode()
