"""Ids are never given twice in a template's life: an edit on an older page lands on its own piece, or clashes."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.test import Client

from lattice.edits import apply
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.shelf import services
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace


def now() -> Template:
    return workspace(StoredTemplate.objects.get()).template


def edited(owner: User, stored: StoredTemplate, edit: str, **arguments: object) -> Template:
    stored.refresh_from_db()
    services.edit(stored.pk, owner, stored.version, edit, [EditStep(edit, arguments)])
    return now()


def test_a_new_route_never_has_the_id_of_one_that_was_removed(
    owner: User, stored: StoredTemplate, made: Template
) -> None:
    """The core alone gives the id again: it sees the document only."""
    last = made.routes[-1].id
    without = apply(made, "remove_routes", {"routes": [last]})
    assert apply(without, "connect", {"route": {"from": "lost", "to": "out"}}).routes[-1].id == last
    edited(owner, stored, "remove_routes", routes=[last])
    after = edited(owner, stored, "connect", route={"from": "lost", "to": "out"})
    assert after.routes[-1].from_strip == "lost"
    assert after.routes[-1].id not in {route.id for route in made.routes}


def test_an_edit_on_an_older_page_does_not_land_on_another_route(
    signed_in: Client, owner: User, stored: StoredTemplate, made: Template
) -> None:
    last = made.routes[-1].id
    edited(owner, stored, "remove_routes", routes=[last])
    edited(owner, stored, "connect", route={"from": "lost", "to": "out"})
    before = now()
    answer = signed_in.post(f"/t/{stored.pk}/write/change_route/", {"base": 1, "route": last, "gain_db": "-20"})
    assert answer.status_code == 409
    assert now() == before
    assert JournalEntry.objects.count() == 2


def test_strips_and_inserts_get_ids_that_nothing_had(owner: User, stored: StoredTemplate) -> None:
    first = (
        edited(owner, stored, "add_insert", strip="kick", insert={"type": "eq", "name": "Low cut"})
        .strips[0]
        .inserts[0]
        .id
    )
    edited(owner, stored, "remove_inserts", inserts=[first])
    assert (
        edited(owner, stored, "add_insert", strip="kick", insert={"type": "eq", "name": "Low cut"})
        .strips[0]
        .inserts[0]
        .id
        != first
    )
    edited(owner, stored, "remove_strips", strips=["kick"])
    after = edited(owner, stored, "add_strip", strip={"name": "Kick", "kind": "audio"})
    assert "kick" not in {strip.id for strip in after.strips}
    assert "Kick" in {strip.name for strip in after.strips}


def test_a_removal_that_is_undone_brings_the_same_piece_back(
    signed_in: Client, owner: User, stored: StoredTemplate, made: Template
) -> None:
    last = made.routes[-1].id
    edited(owner, stored, "remove_routes", routes=[last])
    services.undo(stored.pk, owner, 2)
    assert now() == made
    answer = signed_in.post(f"/t/{stored.pk}/write/change_route/", {"base": 1, "route": last, "gain_db": "-20"})
    assert answer.status_code == 200
    assert now().routes[-1].gain_db == -20


def test_an_edit_of_a_piece_that_was_removed_and_made_anew_clashes(
    signed_in: Client, owner: User, stored: StoredTemplate, made: Template
) -> None:
    """A newer sheet may bring a strip with the same id: it is a different strip."""
    edited(owner, stored, "remove_strips", strips=["lost"])
    again = apply(now(), "add_strip", {"strip": {"id": "lost", "name": "Lost again", "kind": "audio"}})
    services.change(stored.pk, owner, 2, "An updated sheet", lambda _there: again)
    answer = signed_in.post(f"/t/{stored.pk}/write/change_strip/", {"base": 1, "strip": "lost", "pan": "0.5"})
    assert answer.status_code == 409
    assert "Not saved: another user changed this first." in answer.content.decode()
    assert next(strip for strip in now().strips if strip.name == "Lost again").pan == 0
