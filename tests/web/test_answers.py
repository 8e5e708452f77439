"""Rules for every answer: HEAD like GET, no shared caching, previews valid for one user only."""

from __future__ import annotations

import importlib
import re
import stat
from datetime import timedelta
from pathlib import Path

import pytest
from django.conf import settings
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from lattice.drawing import Slots
from lattice.exports import EXPORTS
from web.bringing.models import Brought
from web.config import settings as module
from web.editor.places.base import PLACES
from web.shelf import services
from web.shelf.models import StoredTemplate


@pytest.mark.parametrize(
    "address", ["/", "/new/", "/t/{pk}/map/", "/t/{pk}/findings/", "/t/{pk}/export/csv/", "/t/{pk}/panel/findings/"]
)
def test_head_is_get_without_a_body(signed_in: Client, stored, address: str) -> None:  # type: ignore[no-untyped-def]
    url = address.format(pk=stored.pk)
    got, head = signed_in.get(url), signed_in.head(url)
    assert (head.status_code, head.content, head["Content-Type"]) == (200, b"", got["Content-Type"])
    assert got["Cache-Control"] == head["Cache-Control"] == "no-store"


def test_the_database_and_the_secret_are_this_account_s_alone() -> None:
    for name in ("lattice.sqlite3", "jobs.sqlite3", "secret"):
        path = Path(settings.VAR) / name
        if path.exists():
            assert stat.S_IMODE(path.stat().st_mode) == 0o600


@pytest.mark.parametrize(
    ("given", "hosts"),
    [("a, b", ["a", "b"]), (" one ", ["one"]), (None, ["127.0.0.1", "localhost", "[::1]"])],
)
def test_hosts_are_named_with_or_without_spaces_and_tests_have_none_of_their_own(
    monkeypatch: pytest.MonkeyPatch, given: str | None, hosts: list[str]
) -> None:
    monkeypatch.delenv("LATTICE_HOSTS", raising=False)
    if given is not None:
        monkeypatch.setenv("LATTICE_HOSTS", given)
    assert hosts == importlib.reload(module).ALLOWED_HOSTS


class TestPreviews:
    """A preview is applied for its user, on its template at its version, and nowhere else."""

    def planned(self, client: Client, stored) -> str:  # type: ignore[no-untyped-def]
        page = client.post(f"/t/{stored.pk}/panel/preview/duplicate/", {"strips": "kick", "times": "1"})
        return re.search(r'"planned": "([^"]+)"', page.content.decode())[1]

    def test_it_is_done_where_it_was_shown(self, signed_in: Client, stored) -> None:  # type: ignore[no-untyped-def]
        token = self.planned(signed_in, stored)
        answer = signed_in.post(f"/t/{stored.pk}/write/planned/", {"planned": token, "base": stored.version})
        assert answer.status_code == 200

    def test_it_is_not_done_on_another_template(self, signed_in: Client, stored, owner, made) -> None:  # type: ignore[no-untyped-def]
        token, other = self.planned(signed_in, stored), services.store(owner, made)
        answer = signed_in.post(f"/t/{other.pk}/write/planned/", {"planned": token, "base": other.version})
        assert answer.status_code == 422
        assert "has expired" in answer.content.decode()

    def test_it_is_not_done_at_another_version(self, signed_in: Client, stored) -> None:  # type: ignore[no-untyped-def]
        token = self.planned(signed_in, stored)
        signed_in.post(f"/t/{stored.pk}/write/change_strip/", {"strip": "kick", "mute": "true", "base": stored.version})
        stored.refresh_from_db()
        answer = signed_in.post(f"/t/{stored.pk}/write/planned/", {"planned": token, "base": stored.version})
        assert answer.status_code == 422

    def test_what_was_brought_is_kept_by_who_brought_it(self, signed_in: Client, django_user_model: type) -> None:
        page = signed_in.post("/import/", {"name": "List", "text": "Kick\nSnare"})["Location"]
        other = Client()
        other.force_login(django_user_model.objects.create_user("other"))
        assert other.get(page)["Location"] == "/import/"
        for what in ("choose", "keep"):
            assert other.post(f"{page}{what}/").status_code == 404
        assert signed_in.post(f"{page}keep/")["Location"].endswith("/map/")


def test_several_chosen_strips_by_address(signed_in: Client, stored) -> None:  # type: ignore[no-untyped-def]
    page = signed_in.get(f"/t/{stored.pk}/map/?strips=kick lost nobody").content.decode()
    assert "2 strips selected" in page


def test_papers_take_in_nothing_from_outside() -> None:
    from web.revisions.reports import STATIC_URL, _is_own

    assert _is_own(STATIC_URL + "fonts/x.woff2")
    for url in (
        "https://example.org/x.png",
        "file:///etc/passwd",
        STATIC_URL + "../../var/secret",
        "data:text/css,x",
        "ftp://x",
    ):
        assert not _is_own(url)


def test_what_was_brought_waits_two_days(signed_in: Client) -> None:
    page = signed_in.post("/import/", {"text": "Kick\nSnare"})["Location"]
    Brought.objects.update(created_at=timezone.now() - timedelta(hours=49))
    assert signed_in.get(page)["Location"] == "/import/"
    assert signed_in.post(f"{page}keep/").status_code == 404
    signed_in.post("/import/", {"text": "Kick"})
    assert Brought.objects.count() == 1  # the old one went when another was put aside


def test_what_is_read_writes_nothing(signed_in: Client, stored: StoredTemplate) -> None:
    """Pages, panels and exports, of a template whose map was never opened and with a new strip on it."""
    StoredTemplate.objects.update(slots=b"")
    base = f"/t/{stored.pk}"
    read = [f"{base}/{place}/" for place in PLACES]
    read += [f"{base}/panel/{panel}/" for panel in ("findings", "add", "journal", "strip/kick", "section/drums")]
    read += [f"{base}/export/{form}/" for form in EXPORTS]
    for address in ["/", "/new/", "/import/", *read]:
        with CaptureQueriesContext(connection) as asked:
            assert signed_in.get(address).status_code == 200
        wrote = [query["sql"] for query in asked if not query["sql"].startswith(("SELECT", "SAVEPOINT", "RELEASE"))]
        # Downloads are logged, and nothing else.
        assert [sql for sql in wrote if "accounts_event" not in sql or "/export/" not in address] == [], address


def test_a_write_keeps_the_slots_of_what_it_brings(signed_in: Client, stored: StoredTemplate) -> None:
    signed_in.post(f"/t/{stored.pk}/write/spread/", {"base": 1, "names": "Tom", "kind": "audio", "section": "drums"})
    stored.refresh_from_db()
    assert "tom" in Slots.load(bytes(stored.slots)).row
    before = bytes(stored.slots)
    signed_in.post(f"/t/{stored.pk}/write/tidy/")
    stored.refresh_from_db()
    assert set(Slots.load(before).row) == set(Slots.load(bytes(stored.slots)).row)
