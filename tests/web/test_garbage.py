"""Anything in any parameter of any address: a sentence or a page, and never a fault of ours."""

from __future__ import annotations

import re
from collections.abc import Iterator
from random import Random
from urllib.parse import quote, urlencode

import pytest
from django.db import connection
from django.http import HttpResponse
from django.test import Client
from django.urls import get_resolver

from lattice.edits import EDITS
from lattice.formats.document_json import load
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate
from web.shelf.workspace import forget_all

pytestmark = pytest.mark.slow

GARBAGE = ("abc \x00 <b> {½", "9" * 30)
# Parameters of views, in addresses and in forms.
NAMES = (
    "off", "kind", "strip", "strips", "section", "finding", "from", "to", "at", "set", "only", "severity", "awake", "of", "name",
    "names", "text", "base", "planned", "draft", "place", "grid", "cells", "do", "tap", "gain_db", "pattern", "first", "times",
    "port", "channel", "inserts", "insert", "state", "route", "outlet", "part", "machine", "side", "stem", "rule", "layout",
    "where", "played_by", "routes", "stems", "machines", "sections", "fingerprints", "instrument", "feed", "preset", "fingerprint", "reason", "by", "note", "key", "digest", "room_db", "midi",
    "colour", "parent", "bus", "tags", "fader_db", "peak_dbfs", "but_not", "role", "channels", "type", "feedback", "with_bus",
)  # fmt: skip


def addresses(pk: int) -> Iterator[str]:
    """Every address, with garbage and with good words in its places."""

    def all_of(patterns: list, prefix: str = "") -> Iterator[str]:
        for pattern in patterns:
            inner, here = getattr(pattern, "url_patterns", None), prefix + str(pattern.pattern)
            yield from all_of(inner, here) if inner else [here]

    for shape in all_of(get_resolver().url_patterns):
        if not shape.startswith("sign-out"):
            address = shape.replace("<int:pk>", str(pk))
            address = re.sub(r"<int:\w+>", "7", address)
            for word in ("kick", "\x00") if "<str:" in address else ("",):
                yield "/" + re.sub(r"<str:\w+>", quote(word), address)


@pytest.fixture
def careful(owner, stored) -> Client:  # type: ignore[no-untyped-def]
    client = Client(raise_request_exception=False)
    client.force_login(owner)
    return client


def post(client: Client, address: str, values: dict[str, object]) -> HttpResponse:
    """As a form without a file is sent: many times faster to read than one with."""
    return client.post(address, urlencode(values), content_type="application/x-www-form-urlencoded")


@pytest.mark.parametrize("word", GARBAGE)
def test_no_view_fails_for_garbage_in_its_parameters(careful: Client, stored: StoredTemplate, word: str) -> None:
    values = dict.fromkeys(NAMES, word)
    for address in addresses(stored.pk):
        asked = f"{address}?{'&'.join(f'{name}={quote(word)}' for name in NAMES)}"
        for answer in (careful.get(asked), careful.post(address, {**values, "base": stored.version})):
            assert answer.status_code < 500 or address == "/health/", (address, word)
            assert "Server error" not in answer.content.decode(errors="replace")
        StoredTemplate.objects.filter(pk=stored.pk).update(deleted_at=None, version=stored.version)
    forget_all()
    assert load(document_of(bytes(StoredTemplate.objects.get(pk=stored.pk).head)))


@pytest.mark.parametrize("what", EDITS)
def test_every_write_without_what_it_needs_says_so(careful: Client, stored: StoredTemplate, what: str) -> None:
    """Forms with nothing, with one word everywhere, and with half of the fields, drawn four times."""
    chance = Random(what)  # noqa: S311 - the same every time, no secret
    forms = [{}, *(dict.fromkeys(NAMES, word) for word in ("garbage", "kick"))]
    forms += [dict.fromkeys(chance.sample(NAMES, len(NAMES) // 2), "kick") for _ in range(4)]
    for values in forms:
        answer = post(careful, f"/t/{stored.pk}/write/{what}/", {**values, "base": stored.version})
        assert answer.status_code in (200, 409, 422), (values, answer.content[:300])
        if answer.status_code == 422:
            assert re.search(r"<li>[^<]{3,}</li>", answer.content.decode())
    assert load(document_of(bytes(StoredTemplate.objects.get(pk=stored.pk).head)))


@pytest.mark.parametrize(
    "values", [{"names": "Tom"}, {"names": "Tom", "layout": "mono"}, {"names": "Tom", "kind": "midi"}]
)
def test_strips_are_added_without_all_choices_made(careful: Client, stored: StoredTemplate, values: dict) -> None:
    answer = careful.post(f"/t/{stored.pk}/write/spread/", {**values, "base": stored.version})
    assert answer.status_code in (200, 422)


@pytest.mark.parametrize("what", EDITS)
@pytest.mark.parametrize("form", ["nothing", "garbage", "bus"])
def test_every_preview_without_what_it_needs_says_so(
    careful: Client, stored: StoredTemplate, what: str, form: str
) -> None:
    values = {} if form == "nothing" else dict.fromkeys(NAMES, form)
    values |= {"strips": "kick lost", "base": stored.version}
    answer = post(careful, f"/t/{stored.pk}/panel/preview/{what}/", values)
    assert answer.status_code in (200, 422), answer.content[:300]


def test_forms_in_another_encoding_are_refused(careful: Client, stored: StoredTemplate) -> None:
    answer = careful.post(
        f"/t/{stored.pk}/write/tidy/", b"base=+AC0-1", content_type="application/x-www-form-urlencoded; charset=utf-7"
    )
    assert answer.status_code == 415


def test_the_page_of_a_fault_says_only_what_it_knows(careful: Client, stored, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    def broken(*_arguments: object) -> None:
        raise RuntimeError("a fault of ours")

    monkeypatch.setattr("web.editor.places.map.drawing_of", broken)
    answer = careful.get(f"/t/{stored.pk}/map/")
    assert answer.status_code == 500
    page = answer.content.decode()
    assert "Not saved" not in page
    assert "Reload" in page


def test_inventories_whose_channels_are_no_numbers_are_refused(careful: Client, stored: StoredTemplate) -> None:
    text = '{"name": "x", "input_names": {"a": "b"}}'
    answer = careful.post(f"/t/{stored.pk}/write/bring-inventory/", {"name": "S", "text": text, "place": "setup"})
    assert answer.status_code == 422
    assert "a is not a number of a channel" in answer.content.decode()


def test_a_locked_database_is_said_and_what_was_typed_is_kept(
    transactional_db: None,
    django_user_model: type,
    made,
    settings,  # type: ignore[no-untyped-def]
) -> None:
    import sqlite3

    from web.shelf import services

    owner = django_user_model.objects.create_user("writer")
    stored = services.store(owner, made)
    client = Client()
    client.force_login(owner)
    other_one = Client()
    other_one.force_login(owner)
    connection.cursor().execute("PRAGMA busy_timeout = 50")
    other = sqlite3.connect(connection.settings_dict["NAME"], isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    try:
        typed = {"strip": "kick", "fader_db": "-6", "base": stored.version}
        fragment = client.post(f"/t/{stored.pk}/write/change_strip/", typed, headers={"HX-Request": "true"})
        assert (fragment.status_code, fragment["HX-Retarget"], fragment["Retry-After"]) == (503, "#notice", "5")
        assert client.post(f"/t/{stored.pk}/write/fold/", {"section": "all"}).status_code == 503  # never lost silently
        page = client.post("/new/", {"name": "Typed with care"})
        assert page.status_code == 503
        assert 'value="Typed with care"' in page.content.decode()
        assert client.get(f"/t/{stored.pk}/findings/").status_code == 200
        assert Client().post("/sign-in/", {"username": "nobody", "password": "no"}).status_code == 503
        assert other_one.get("/").status_code == 200
    finally:
        other.execute("ROLLBACK")
        other.close()
    assert client.post(f"/t/{stored.pk}/write/change_strip/", typed).status_code == 200
