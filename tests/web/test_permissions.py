"""One table: every address, without an account, for another user, and for each role."""

from __future__ import annotations

import pytest
from django.test import Client
from django.urls import get_resolver
from sesame.utils import get_token

from web.editor.places.base import PLACES
from web.people.roles import Role
from web.shelf.models import Share, StoredTemplate

READING = (
    ("", "get"), ("file/", "post"), ("read/", "post"), ("progress/", "get"), ("cancel/", "post"), ("answer/", "post"),
    ("map/", "post"), ("fixes/", "get"), ("json/", "get"), ("forget/", "post"),
)  # fmt: skip

# The permission of an address, if it is not view (reads) or edit (writes).
ACTIONS_OF = (
    ("/new-from/", "export"), ("/opened/", "look"), ("/export/", "export"), ("/duplicate/", "export"), ("/delete/", "remove"), ("/restore/", "remove"),
    ("/revisions/seal/", "seal"), ("/1/sign/", "seal"), ("/revisions/tick/", "tick"), ("/revisions/untick/", "tick"),
    ("/readings/1/answer/", "answer"), ("/write/fold/", "look"), ("/write/view/", "look"), ("/write/hide/", "look"), ("/write/redraw/", "look"), ("/write/catch-up/", "look"), ("/write/follow/", "look"),
    ("/write/keep-profile/", "look"), ("/write/forget-profile/", "look"), ("/write/undo/", "waive"),
    ("/write/redo/", "waive"), ("/write/waive/", "waive"), ("/remarks/begin/", "remark"), ("/1/settle/", "remark"),
    ("/remarks/1/answer/", "remark"), ("/people/give/", "give"), ("/people/1/take/", "give"), ("/hand-over/", "give"), ("/t/1/take/", "give"),
    ("/links/", "give"),
)  # fmt: skip

# address, method, owner's status; without an account it redirects to sign-in (302), another user gets `other`
TABLE = [
    *((f"t/{{pk}}/{place}/", "get", 200, 404) for place in PLACES),
    ("", "get", 200, 200),
    ("demo/", "get", 302, 302),
    ("new/", "get", 200, 200),
    ("import/", "get", 200, 200),
    ("import/sample/", "post", 302, 302),
    ("import/1/", "get", 302, 302),
    ("import/1/choose/", "post", 404, 404),
    ("import/1/keep/", "post", 404, 404),
    ("t/{pk}/import/", "get", 200, 404),
    ("t/{pk}/cut/?section=drums", "get", 200, 404),
    ("t/{pk}/cut/keep/", "post", 409, 404),
    ("t/{pk}/layout/?after=5.1", "get", 200, 404),
    ("t/{pk}/layout/keep/", "post", 409, 404),
    ("blocks/", "get", 200, 200),
    ("blocks/names.json", "get", 200, 200),
    ("blocks/1.json", "get", 404, 404),
    ("blocks/1/forget/", "post", 404, 404),
    ("t/{pk}/block/?strips=kick", "get", 200, 404),
    ("t/{pk}/block/keep/", "post", 422, 404),
    ("t/{pk}/put/", "get", 200, 404),
    ("t/{pk}/put/1/", "get", 404, 404),
    ("t/{pk}/put/1/keep/", "post", 404, 404),
    ("t/{pk}/from/{pk}/", "get", 200, 404),
    ("t/{pk}/from/{pk}/keep/", "post", 409, 404),
    ("t/{pk}/from/{pk}/revisions/1/", "get", 404, 404),
    ("t/{pk}/from/{pk}/revisions/1/keep/", "post", 404, 404),
    ("t/{pk}/renew/1/", "get", 404, 404),
    ("t/{pk}/renew/1/keep/", "post", 404, 404),
    ("t/{pk}/carry/", "get", 404, 404),
    ("t/{pk}/carry/keep/", "post", 404, 404),
    ("templates/tags/", "post", 302, 302),
    ("templates/delete/", "post", 302, 302),
    ("new/voices.svg", "get", 200, 200),
    ("new/nothing.svg", "get", 404, 404),
    ("blocks/1.svg", "get", 404, 404),
    ("recordings/", "get", 200, 200),
    ("recordings/1/", "get", 404, 404),
    ("recordings/1/file/", "post", 404, 404),
    ("recordings/1/body/", "get", 404, 404),
    ("recordings/1/keep/", "post", 404, 404),
    ("t/{pk}/recordings/", "get", 200, 404),
    ("t/{pk}/duplicate/", "post", 302, 404),
    ("t/{pk}/delete/", "post", 302, 404),
    ("t/{pk}/restore/", "post", 302, 404),
    ("t/{pk}/take/", "post", 302, 404),
    ("t/{pk}/stored.json", "get", 200, 404),
    ("t/{pk}/recover/", "post", 302, 404),
    ("t/{pk}/export/json/", "get", 200, 404),
    ("t/{pk}/export/exe/", "get", 404, 404),
    ("t/{pk}/inventory/1.csv", "get", 404, 404),
    ("t/{pk}/write/bring-inventory/", "post", 422, 404),
    ("t/{pk}/write/take-inventory/", "post", 422, 404),
    ("t/{pk}/write/take-latencies/", "post", 422, 404),
    ("t/{pk}/write/forget-inventory/", "post", 200, 404),
    ("t/{pk}/bench/require/", "post", 302, 404),
    ("t/{pk}/bench/kits/make/", "post", 302, 404),
    ("t/{pk}/bench/kits/1/zip/", "get", 404, 404),
    ("t/{pk}/bench/kits/1/cue/", "get", 404, 404),
    ("t/{pk}/bench/kits/1/stand-in/", "post", 404, 404),
    ("t/{pk}/bench/kits/1/prints/", "post", 404, 404),
    *((f"t/{{pk}}/bench/readings/1/{what}", how, 404, 404) for what, how in READING),
    ("t/{pk}/bench/tone/", "get", 200, 404),
    ("t/{pk}/bench/tone/run/", "post", 302, 404),
    ("t/{pk}/bench/tone/progress/", "get", 200, 404),
    ("t/{pk}/bench/tone/cancel/", "post", 302, 404),
    ("t/{pk}/bench/tone/sound/", "get", 404, 404),
    ("t/{pk}/bench/programme/", "get", 200, 404),
    ("t/{pk}/bench/programme/begin/", "post", 302, 404),
    ("t/{pk}/bench/programme/1/file/", "post", 422, 404),
    ("t/{pk}/bench/programme/1/measure/", "post", 404, 404),
    ("t/{pk}/bench/programme/1/progress/", "get", 404, 404),
    ("t/{pk}/bench/programme/1/cancel/", "post", 404, 404),
    ("t/{pk}/revisions/compare/", "get", 200, 404),
    ("t/{pk}/revisions/compare/?to=9", "get", 404, 404),
    ("t/{pk}/revisions/seal/", "post", 409, 404),
    ("t/{pk}/revisions/tick/", "post", 422, 404),
    ("t/{pk}/revisions/untick/", "post", 302, 404),
    ("t/{pk}/revisions/1/sign/", "post", 404, 404),
    ("t/{pk}/revisions/1/back/", "post", 404, 404),
    ("t/{pk}/revisions/1/take/", "post", 404, 404),
    ("t/{pk}/revisions/1/document/", "get", 404, 404),
    ("t/{pk}/revisions/1/pack/begin/", "post", 404, 404),
    ("t/{pk}/revisions/1/pack/progress/", "get", 404, 404),
    ("t/{pk}/revisions/1/pack/cancel/", "post", 404, 404),
    ("t/{pk}/revisions/1/pack/", "get", 404, 404),
    ("t/{pk}/opened/", "post", 204, 404),
    ("t/{pk}/small.svg", "get", 200, 404),
    ("t/{pk}/new-from/", "get", 200, 404),
    ("t/{pk}/new-from/", "post", 200, 404),
    ("t/{pk}/strip/?strip=kick", "get", 302, 404),
    ("t/{pk}/strips/?strip=kick", "get", 200, 404),
    ("t/{pk}/strips/?sort=level&way=down&from=100&q=x", "get", 200, 404),
    ("t/{pk}/delivery/", "get", 302, 404),
    ("t/{pk}/inventory/", "get", 302, 404),
    ("t/{pk}/hygiene/", "get", 302, 404),
    ("t/{pk}/strips/?strip=nobody", "get", 200, 404),
    ("t/{pk}/crosspoints/?kind=midi", "get", 200, 404),
    ("t/{pk}/panel/findings/", "get", 200, 404),
    ("t/{pk}/panel/strip/kick/", "get", 200, 404),
    ("t/{pk}/panel/strip/nobody/", "get", 404, 404),
    ("t/{pk}/panel/section/drums/", "get", 200, 404),
    ("t/{pk}/panel/section/nothing/", "get", 404, 404),
    ("t/{pk}/panel/add/", "get", 200, 404),
    ("t/{pk}/panel/rows/", "post", 200, 404),
    ("t/{pk}/panel/trace/?from=kick", "get", 200, 404),
    ("t/{pk}/panel/trace/?from=nobody", "get", 422, 404),
    ("t/{pk}/panel/journal/", "get", 200, 404),
    ("t/{pk}/panel/views/", "get", 200, 404),
    ("t/{pk}/write/view/", "post", 200, 404),
    ("t/{pk}/write/hide/", "post", 200, 404),
    ("t/{pk}/write/keep-view/", "post", 409, 404),
    ("t/{pk}/panel/channels/r1/", "get", 200, 404),
    ("t/{pk}/panel/channels/nothing/", "get", 404, 404),
    ("t/{pk}/panel/solo/?strips=kick", "get", 200, 404),
    ("t/{pk}/panel/solo/?strips=nobody", "get", 200, 404),
    ("t/{pk}/panel/selection/?strips=kick", "get", 200, 404),
    ("t/{pk}/panel/action/feed/?strips=kick", "get", 200, 404),
    ("t/{pk}/panel/action/mute/?strips=kick", "get", 404, 404),
    ("t/{pk}/panel/action/nothing/?strips=kick", "get", 404, 404),
    ("t/{pk}/panel/choices/ends/?q=o&strips=kick", "get", 200, 404),
    ("t/{pk}/panel/choices/space/?strips=kick", "get", 404, 404),
    ("t/{pk}/panel/preview/remove_strips/", "post", 422, 404),
    ("t/{pk}/panel/preview/nonsense/", "post", 404, 404),
    ("t/{pk}/write/planned/", "post", 422, 404),
    ("t/{pk}/write/undo/", "post", 422, 404),
    ("t/{pk}/write/redo/", "post", 422, 404),
    ("t/{pk}/write/fold/", "post", 200, 404),
    ("t/{pk}/write/redraw/", "post", 200, 404),
    ("t/{pk}/write/keep-profile/", "post", 200, 404),
    ("t/{pk}/write/forget-profile/", "post", 200, 404),
    ("t/{pk}/write/tidy/", "post", 200, 404),
    ("t/{pk}/write/remedy/abc/0/", "post", 422, 404),
    ("t/{pk}/write/change_strip/", "post", 409, 404),
    ("t/{pk}/write/waive/", "post", 409, 404),
    ("t/{pk}/write/nonsense/", "post", 404, 404),
    ("t/{pk}/write/follow/", "post", 204, 404),
    ("t/{pk}/news/", "get", 200, 404),
    ("t/{pk}/write/catch-up/", "post", 200, 404),
    ("t/{pk}/rows/?start=100", "get", 200, 404),
    ("t/{pk}/matter/0123456789abcdef/", "get", 404, 404),
    ("t/{pk}/effect/0123456789abcdef/0123456789ab/", "get", 200, 404),
    ("t/{pk}/strips.json", "get", 200, 404),
    ("t/{pk}/nothing.json", "get", 404, 404),
    ("t/{pk}/panel/remarks/?kind=strip&of=kick", "get", 200, 404),
    ("t/{pk}/remarks/begin/", "post", 422, 404),
    ("t/{pk}/remarks/1/answer/", "post", 404, 404),
    ("t/{pk}/remarks/1/settle/", "post", 404, 404),
    ("t/{pk}/remarks/require/", "post", 302, 404),
    ("t/{pk}/people/", "get", 200, 404),
    ("t/{pk}/people/give/", "post", 422, 404),
    ("t/{pk}/people/1/take/", "post", 422, 404),
    ("t/{pk}/people/hand-over/", "post", 422, 404),
    ("t/{pk}/people/links/make/", "post", 422, 404),
    ("t/{pk}/people/links/1/revoke/", "post", 302, 404),
    ("teams/", "get", 200, 200),
    ("teams/1/", "get", 404, 404),
    ("teams/1/member/", "post", 404, 404),
    ("teams/1/member/1/remove/", "post", 404, 404),
    ("roles/", "get", 200, 200),
    ("t/{pk}/plan/", "get", 200, 404),
    ("t/{pk}/plan/begin/", "post", 302, 404),
    ("t/{pk}/plan/progress/", "get", 200, 404),
    ("t/{pk}/plan/cancel/", "post", 302, 404),
    ("t/{pk}/plan/check/", "post", 200, 404),
    ("t/{pk}/plan/do/", "post", 409, 404),
]


@pytest.mark.parametrize(("address", "method", "own", "other"), TABLE)
def test_who_may_do_what(
    client: Client, owner, stored, django_user_model: type, address: str, method: str, own: int, other: int
) -> None:  # type: ignore[no-untyped-def]
    url = "/" + address.format(pk=stored.pk)
    answer = getattr(client, method)(url)
    assert (answer.status_code, answer["Location"].startswith("/sign-in/")) == (302, True)
    client.force_login(django_user_model.objects.create_user("other"))
    assert getattr(client, method)(url).status_code == other
    if address.startswith("t/"):
        action = next((does for part, does in ACTIONS_OF if part in url), "look" if method == "get" else "edit")
        for role in (Role.READER, Role.CHECKER, Role.EDITOR):
            person = django_user_model.objects.create_user(role)
            Share.objects.create(template=stored, user=person, role=role)
            client.force_login(person)
            # Permitted actions are answered as for the owner, also if a reading or a variant does not exist.
            told = getattr(client, method)(url).status_code
            assert told == (own if role.may(action) or own == 404 else 403) or (own == 404 and told == 403), role
            StoredTemplate.objects.update(deleted_at=None)
    client.force_login(owner)
    assert getattr(client, method)(url).status_code == own


# Addresses of accounts, which tests/web/test_accounts.py goes through.
OUTSIDE = ("sign-", "invitation/", "new-password/", "account/", "administration/", "link/", "robots.txt", "health/")


def test_the_table_names_every_address() -> None:
    def addresses(patterns: list, prefix: str = "") -> list[str]:
        found = []
        for pattern in patterns:
            inner = getattr(pattern, "url_patterns", None)
            here = prefix + str(pattern.pattern)
            found += addresses(inner, here) if inner else [here]
        return found

    known = {address.split("?")[0].format(pk=1) for address, *_rest in TABLE}
    for address in addresses(get_resolver().url_patterns):
        if not address.startswith(OUTSIDE):
            shape = (
                address.replace("<int:pk>", "1")
                .replace("<int:number>", "1")
                .replace("<int:other>", "1")
                .replace("<int:person>", "1")
                .split("<")[0]
            )
            assert any(row.startswith(shape) for row in known), address


@pytest.mark.parametrize("method", ["get", "post"])
def test_writing_needs_post_and_the_token_of_the_page(stored, owner, method: str) -> None:  # type: ignore[no-untyped-def]
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(owner)
    answer = getattr(strict, method)(f"/t/{stored.pk}/write/tidy/")
    assert answer.status_code == {"get": 405, "post": 403}[method]


def test_the_sign_in_link_works_only_in_the_demo_and_only_untampered(client: Client, owner, settings) -> None:  # type: ignore[no-untyped-def]
    link = f"/sign-in/{get_token(owner)}/"
    settings.DEMO_SIGN_IN = False
    assert client.get(link).status_code == 404
    settings.DEMO_SIGN_IN = True
    assert client.get(link[:-2] + "x/").status_code == 404
    assert client.get(link)["Location"] == "/demo/"
    assert client.get("/").status_code == 200
    assert Client().get(link).status_code == 404, "it works once"


def test_every_answer_says_how_long_it_took_and_what_may_be_loaded(signed_in: Client, stored) -> None:  # type: ignore[no-untyped-def]
    answer = signed_in.get(f"/t/{stored.pk}/map/")
    assert "total;dur=" in answer["Server-Timing"]
    policy = dict(part.strip().split(" ", 1) for part in answer["Content-Security-Policy"].split(";"))
    assert policy["default-src"] == "'self'"
    assert policy["base-uri"] == policy["object-src"] == policy["frame-ancestors"] == "'none'"
    assert "unsafe" not in answer["Content-Security-Policy"]
    assert b' style="' not in answer.content
    assert b"https://" not in answer.content
