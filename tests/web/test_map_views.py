"""Views of the map over the web: shown, changed, saved, removed, for one user at a time."""

from __future__ import annotations

import re

from django.test import Client

from web.shelf.models import MapView, StoredTemplate
from web.shelf.sheets import map_of
from web.shelf.workspace import workspace


def boxes(client: Client, stored: StoredTemplate) -> set[str]:
    page = client.get(f"/t/{stored.pk}/map/").content.decode()
    return set(re.findall(r'id="b-([^"]+)"', page))


def chosen(client: Client, stored: StoredTemplate) -> list[str]:
    page = " ".join(client.get(f"/t/{stored.pk}/map/").content.decode().split())
    chooser = page.partition('id="view-choice"')[2].partition("</select>")[0]
    return re.findall(r"selected[^>]*>([^<]+)<", chooser)


def test_a_view_hides_strips_on_the_map_of_its_user_only(signed_in: Client, stored: StoredTemplate) -> None:
    everything = boxes(signed_in, stored)
    assert signed_in.post(f"/t/{stored.pk}/write/hide/", {"kinds": "bus", "routes": "key"}).status_code == 200
    assert boxes(signed_in, stored) == everything - {"bus"}
    assert chosen(signed_in, stored) == ["own"]
    anybody = StoredTemplate.objects.get(pk=stored.pk)
    assert {box.id for box in map_of(anybody, workspace(anybody)).sheet.boxes} == everything
    signed_in.post(f"/t/{stored.pk}/write/view/", {"view": ""})
    assert boxes(signed_in, stored) == everything
    assert not MapView.objects.exists()


def test_a_view_is_saved_with_the_template_shown_by_its_key_and_removed(
    signed_in: Client, stored: StoredTemplate
) -> None:
    url = f"/t/{stored.pk}"
    signed_in.post(f"{url}/write/hide/", {"kinds": "bus", "routes": ""})
    kept = {"base": 1, "name": "No  buses", "at": "10 -20.5 0.8", "sheet": "dark"}
    assert signed_in.post(f"{url}/write/keep-view/", kept).status_code == 200
    stored.refresh_from_db()
    view = workspace(stored).template.views[3]
    assert (view.name, view.hidden_kinds, view.at, view.dark) == ("No buses", ("bus",), (10.0, -20.5, 0.8), True)
    assert chosen(signed_in, stored) == ["4 No buses"]
    signed_in.post(f"{url}/write/view/", {"view": "2"})
    assert chosen(signed_in, stored) == ["2 Mixing"]
    panel = signed_in.get(f"{url}/panel/views/").content.decode()
    assert "without bus strips" in " ".join(panel.split())
    assert signed_in.post(f"{url}/write/remove_views/", {"base": 2, "names": "No buses"}).status_code == 200
    assert signed_in.post(f"{url}/write/undo/", {"base": 3}).status_code == 200
    stored.refresh_from_db()
    assert len(workspace(stored).template.views) == 4


def test_a_view_that_is_removed_leaves_its_map_as_the_user_s_own(signed_in: Client, stored: StoredTemplate) -> None:
    signed_in.post(f"/t/{stored.pk}/write/view/", {"view": "Mixing"})
    assert chosen(signed_in, stored) == ["2 Mixing"]
    signed_in.post(f"/t/{stored.pk}/write/remove_views/", {"base": 1, "names": "Mixing"})
    assert chosen(signed_in, stored) == ["own"]


def test_a_name_of_500_characters_is_refused_with_its_limit(signed_in: Client, stored: StoredTemplate) -> None:
    answer = signed_in.post(f"/t/{stored.pk}/write/keep-view/", {"base": 1, "name": "x" * 500})
    assert (answer.status_code, "120" in answer.content.decode()) == (422, True)


def test_what_is_no_view_is_said_and_nothing_is_stored(signed_in: Client, stored: StoredTemplate) -> None:
    unknown = signed_in.post(f"/t/{stored.pk}/write/view/", {"view": "Nights"})
    assert (unknown.status_code, "view Nights does not exist" in unknown.content.decode()) == (422, True)
    nameless = signed_in.post(f"/t/{stored.pk}/write/keep-view/", {"base": 1, "name": " ", "at": "here"})
    assert nameless.status_code == 422
    stored.refresh_from_db()
    assert (stored.version, workspace(stored).template.views) == (1, ())
