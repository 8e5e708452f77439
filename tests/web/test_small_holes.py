"""Small findings of a security test: quotas, races of two users, similar names, a full disk, health."""

from __future__ import annotations

import errno
from datetime import timedelta
from pathlib import Path
from threading import Barrier, Thread
from typing import Any

import numpy as np
import pytest
import soundfile
from django.contrib.auth.models import User
from django.contrib.sessions.backends import file
from django.db import OperationalError, connection
from django.test import Client
from django.utils import timezone
from sesame.utils import get_token

from lattice.bench.recordings import measure
from lattice.errors import DocumentError
from tests.web.test_accounts import NEW, PASSWORD, invited, is_in, sign_in
from web.accounts import session_files
from web.accounts.lookalikes import looks_like
from web.bench import services as bench
from web.bench.models import Reading
from web.bringing.models import Brought
from web.shelf.models import StoredTemplate


def in_threads(count: int, work: Any) -> list[Any]:
    """The same begun at once by several; each has its own connection."""
    found: list[Any] = []
    gate = Barrier(count)

    def run() -> None:
        gate.wait()
        try:
            found.append(work())
        finally:
            connection.close()

    threads = [Thread(target=run) for _ in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return found


# quotas


def test_what_is_handed_over_counts_when_it_is_taken(
    signed_in: Client, stored: StoredTemplate, second: User, settings: Any
) -> None:
    settings.MOST_TEMPLATES = 1
    signed_in.post(f"/t/{stored.pk}/people/hand-over/", {"name": "second"})
    theirs = Client()
    theirs.force_login(second)
    page = theirs.get("/").content.decode()
    assert "offered to you" in page
    assert theirs.post("/new/", {"name": "My own"}).status_code == 302, "others cannot fill my shelf"
    refused = theirs.post(f"/t/{stored.pk}/take/")
    assert (refused.status_code, "limit 1" in refused.content.decode()) == (403, True)
    settings.MOST_TEMPLATES = 2
    assert theirs.post(f"/t/{stored.pk}/take/").status_code == 302
    assert "offered to you" not in theirs.get("/").content.decode()
    assert theirs.post("/new/", {"name": "One more"}).status_code == 403


def test_imports_count_and_go_after_a_day(signed_in: Client, owner: User, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("web.bringing.services.MOST_BYTES", 100)
    assert signed_in.post("/import/", {"text": "Kick\n" * 15}).status_code == 302
    refused = signed_in.post("/import/", {"text": "Snare\n" * 15})
    assert (refused.status_code, "of unfinished imports" in refused.content.decode()) == (422, True)
    Brought.objects.update(created_at=timezone.now() - timedelta(days=1, minutes=1))
    assert signed_in.post("/import/", {"text": "Snare\n" * 15}).status_code == 302
    assert Brought.objects.count() == 1


# two at once


@pytest.mark.django_db(transaction=True)
def test_answers_of_two_people_to_one_reading_are_both_kept(owner: User, stored: StoredTemplate) -> None:
    kit = bench.make_kit(stored, [], 500)
    reading = Reading.objects.create(kit=kit, state=Reading.DONE, content={})
    matters = iter(range(12))
    copies = [Reading.objects.get(pk=reading.pk) for _ in range(12)]
    in_threads(4, lambda: [bench.answer(copies[n], n, "done") for n in (next(matters), next(matters), next(matters))])
    reading.refresh_from_db()
    assert set(reading.answers) == {str(n) for n in range(12)}


@pytest.mark.django_db(transaction=True)
def test_a_one_time_link_lets_one_in(owner: User, settings: Any) -> None:
    settings.DEMO_SIGN_IN = True
    path = f"/sign-in/{get_token(owner)}/"
    assert sorted(in_threads(6, lambda: Client().get(path).status_code)) == [302] + [404] * 5


# names


@pytest.mark.parametrize("name", ["Оwner", "οwner", "owner", "OWNER", "ow\u200bner", "0wner", "ｏwner"])  # noqa: RUF001 - that is what it is about
def test_names_that_look_the_same_are_one(owner: User, name: str) -> None:
    assert looks_like(name) == owner
    answer = Client().post(invited(), {**NEW, "username": name})
    assert answer.status_code == 422
    assert User.objects.count() == 1


@pytest.mark.parametrize("name", ["strand", "own", "ownér2", "Анна"])
def test_names_that_differ_are_two(owner: User, name: str) -> None:
    assert looks_like(name) is None


@pytest.mark.parametrize("field", ["first_name", "last_name"])
def test_signs_that_nobody_sees_are_refused_in_names(db: None, field: str) -> None:
    answer = Client().post(invited(), {**NEW, field: "Stra\u200bnd"})
    assert (answer.status_code, "contains an invisible character" in answer.content.decode()) == (422, True)


# recordings


@pytest.mark.parametrize("rate", [1, 7_999, 800_000])
def test_a_recording_of_an_impossible_rate_is_refused_with_a_sentence(tmp_path: Path, rate: int) -> None:
    path = tmp_path / "x.wav"
    soundfile.write(path, np.zeros((10, 1)), rate)
    with pytest.raises(DocumentError, match=f"has a sample rate of {rate} Hz; 8000 to 768000 Hz are allowed"):
        measure(path)


# running


def test_health_reads_what_the_page_of_templates_reads(stored: StoredTemplate) -> None:
    assert Client().get("/health/").json()["parts"]["database"]["well"]
    with connection.cursor() as cursor:
        cursor.execute("ALTER TABLE shelf_storedtemplate RENAME COLUMN summary TO broken")
    try:
        said = Client().get("/health/").json()["parts"]["database"]
    finally:
        with connection.cursor() as cursor:
            cursor.execute("ALTER TABLE shelf_storedtemplate RENAME COLUMN broken TO summary")
    assert (said["well"], "cannot be read" in said["says"]) == (False, True)


def test_one_signs_in_to_read_while_the_disk_is_full(
    stored: StoredTemplate, owner: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    User.objects.filter(pk=owner.pk).update(username="lock")
    owner.refresh_from_db()
    owner.set_password(PASSWORD)
    owner.save()

    def no_room(*_given: object, **_named: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    def refused(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
        if sql.startswith(("INSERT", "UPDATE", "DELETE")):
            raise OperationalError("database or disk is full")
        return execute(sql, params, many, context)

    monkeypatch.setattr(file.SessionStore, "save", no_room)
    client = Client()
    with connection.execute_wrapper(refused):
        assert sign_in(client).status_code == 302
        assert is_in(client)
        assert "Small" in client.get("/").content.decode()
        assert client.get(f"/t/{stored.pk}/map/").status_code == 200
    assert session_files._held
    session_files._held.clear()


def test_a_sign_in_with_room_is_put_down_once(db: None) -> None:
    user = User.objects.create_user("lock", password=PASSWORD)
    assert sign_in(Client()).status_code == 302
    user.refresh_from_db()
    assert user.last_login is not None
