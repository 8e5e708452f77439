"""Error pages: each states what happened and the next step, in our page, for users with access; nothing is stored."""

from __future__ import annotations

from typing import Any

import pytest
from django.core.exceptions import BadRequest, PermissionDenied, SuspiciousOperation
from django.db import OperationalError
from django.test import Client

from web.shelf.models import JournalEntry, StoredTemplate

LOCKED = OperationalError("database is locked")


def page_of(answer: Any) -> str:
    return " ".join(answer.content.decode().split())


@pytest.fixture
def broken(monkeypatch: pytest.MonkeyPatch) -> Any:
    """Makes the shelf fail with an exception."""

    def fail_with(exception: Exception) -> None:
        def fail(*_args: Any, **_kwargs: Any) -> None:
            raise exception

        monkeypatch.setattr("web.shelf.views.listing", fail)

    return fail_with


@pytest.mark.parametrize(
    ("exception", "status", "title", "words"),
    [
        (BadRequest("no"), 400, "Form not readable", "Not saved"),
        (SuspiciousOperation("no"), 400, "Form not readable", "Not saved"),
        (PermissionDenied(), 403, "Page expired", "Reload"),
        (RuntimeError("secret detail"), 500, "Server error", "Server error"),
        (OperationalError("no such table: secret"), 500, "Server error", "Server error"),
        (LOCKED, 503, "Try again in a moment", "another user was saving"),
        (
            OperationalError("database or disk is full"),
            503,
            "Try again in a moment",
            "the disk of the server is full",
        ),
        (OSError(28, "No space left on device"), 503, "Try again in a moment", "the disk of the server is full"),
    ],
)
def test_what_fails_in_a_view_is_said_in_our_page(
    signed_in: Client, broken: Any, exception: Exception, status: int, title: str, words: str
) -> None:
    broken(exception)
    signed_in.raise_request_exception = False
    answer = signed_in.get("/")
    page = page_of(answer)
    assert answer.status_code == status
    assert f"<h1>{title}</h1>" in page
    assert words in page
    assert "secret" not in page
    assert "Traceback" not in page
    assert "All templates" in page


@pytest.mark.parametrize(
    "address", ["/nothing/", "/t/999/map/", "/t/999999999999999999/map/", "/t/1/nowhere/", "/static/nothing.css"]
)
def test_an_address_of_nothing_is_said(signed_in: Client, address: str) -> None:
    answer = signed_in.get(address)
    assert answer.status_code == 404
    assert "or you have no access" in page_of(answer)


def test_a_stranger_is_sent_to_sign_in_and_told_nothing(client: Client, stored: StoredTemplate) -> None:
    there, nowhere = client.get(f"/t/{stored.pk}/map/"), client.get("/t/999/map/")
    assert there.status_code == nowhere.status_code == 302
    assert there["Location"].startswith("/sign-in/")
    assert nowhere["Location"].startswith("/sign-in/")


def test_a_form_from_an_old_page_is_refused_with_what_to_do(owner, stored: StoredTemplate) -> None:  # type: ignore[no-untyped-def]
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(owner)
    answer = strict.post(f"/t/{stored.pk}/write/change_strip/", {"strip": "kick", "name": "Boom", "base": 1})
    assert answer.status_code == 403
    assert "Page expired" in page_of(answer)
    assert not JournalEntry.objects.exists()


@pytest.mark.parametrize("method", ["put", "delete", "patch"])
@pytest.mark.parametrize(
    "address", ["/", "/new/", "/import/", "/t/{pk}/map/", "/t/{pk}/write/tidy/", "/t/{pk}/revisions/seal/"]
)
def test_other_methods_are_refused(signed_in: Client, stored: StoredTemplate, method: str, address: str) -> None:
    assert getattr(signed_in, method)(address.format(pk=stored.pk)).status_code == 405


def test_a_busy_database_keeps_what_was_typed_to_be_sent_again(
    signed_in: Client, stored: StoredTemplate, monkeypatch: pytest.MonkeyPatch
) -> None:
    def busy(*_args: Any, **_kwargs: Any) -> None:
        raise LOCKED

    monkeypatch.setattr("web.editor.writes.services.edit", busy)
    typed = {"strip": "kick", "name": "Boom & <Crash>", "base": stored.version}
    address = f"/t/{stored.pk}/write/change_strip/"
    whole = signed_in.post(address, typed)
    assert whole.status_code == 503
    assert whole["Retry-After"] == "5"
    page = page_of(whole)
    assert 'name="name" value="Boom &amp; &lt;Crash&gt;"' in page
    assert f'action="{address}"' in page
    part = signed_in.post(address, typed, headers={"HX-Request": "true"})
    assert part.status_code == 503
    assert (part["HX-Retarget"], part["HX-Reswap"]) == ("#notice", "afterbegin")
    assert 'data-do="again"' in page_of(part)
    assert "<html" not in page_of(part)


@pytest.mark.parametrize("charset", ["latin-1", "utf-16", "shift_jis"])
def test_forms_in_another_charset_are_refused(signed_in: Client, charset: str) -> None:
    answer = signed_in.post("/new/", b"name=x", content_type=f"application/x-www-form-urlencoded; charset={charset}")
    assert answer.status_code == 415
    assert "UTF-8" in page_of(answer)


@pytest.mark.parametrize("status", [400, 403, 404, 500])
def test_error_pages_need_no_template_and_no_person(client: Client, status: int, rf: Any) -> None:
    from django.contrib.auth.models import AnonymousUser

    from web.shared import views

    request = rf.get("/")
    request.user = AnonymousUser()
    views_of = {400: views.bad_request, 403: views.forbidden, 404: views.not_found, 500: views.server_error}
    answer = views_of[status](request)
    assert answer.status_code == status
    assert "<h1>" in page_of(answer)
    assert "Sign out" not in page_of(answer)
