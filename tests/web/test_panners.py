"""Panners on Ports: inputs with their strips, the drawing, and positions that are written."""

from __future__ import annotations

import re

from django.test import Client

from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.starting import STARTERS
from web.shelf.workspace import workspace


def ports(client: Client, stored: StoredTemplate) -> str:
    return " ".join(client.get(f"/t/{stored.pk}/ports/").content.decode().split())


def test_inputs_stand_on_their_loudspeakers_and_move(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, STARTERS["backgrounds"].make())
    page = ports(signed_in, stored)
    assert page.count('data-panner="') == 3
    first = page.partition('data-panner="side-a-pan"')[2].partition("</section>")[0]
    label = re.search(r'aria-label="(Loudspeakers[^"]*)"', first)
    assert label is not None
    assert label[1] == (
        "Loudspeakers seen from above: L 30° left, input 1; R 30° right, input 2; C in front; LFE no direction; "
        "Ls 110° left, input 3; Rs 110° right, input 4"
    )
    posted = {"base": 1, "insert": "side-a-pan", "input": "1", "channel": "C", "place": "ports"}
    assert signed_in.post(f"/t/{stored.pk}/write/place_input/", posted).status_code == 200
    stored.refresh_from_db()
    strip = next(strip for strip in workspace(stored).template.strips if strip.id == "side-a-panner")
    assert strip.inserts[0].positions == ("C", "R", "Ls", "Rs")
    refused = signed_in.post(f"/t/{stored.pk}/write/place_input/", {**posted, "base": 2, "channel": "Top"})
    assert (refused.status_code, "has no channel Top" in refused.content.decode()) == (422, True)


def test_a_template_without_panners_shows_none(signed_in: Client, stored: StoredTemplate) -> None:
    assert "Panners" not in ports(signed_in, stored)
