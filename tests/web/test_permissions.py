"""One table: every address, for nobody, for another person and for the owner."""

from __future__ import annotations

import pytest
from django.test import Client
from django.urls import get_resolver

from web.accounts.links import token_for
from web.editor.places.base import PLACES

READING = (
    ("", "get"), ("file/", "post"), ("read/", "post"), ("progress/", "get"), ("cancel/", "post"), ("answer/", "post"),
    ("map/", "post"), ("fixes/", "get"), ("json/", "get"), ("forget/", "post"),
)  # fmt: skip

# address, method, owner's status; nobody is sent to sign in (302), another person gets `other`
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
    ("recordings/", "get", 200, 200),
    ("recordings/1/", "get", 404, 404),
    ("recordings/1/file/", "post", 404, 404),
    ("recordings/1/keep/", "post", 404, 404),
    ("t/{pk}/recordings/", "get", 200, 404),
    ("t/{pk}/duplicate/", "post", 302, 404),
    ("t/{pk}/delete/", "post", 302, 404),
    ("t/{pk}/restore/", "post", 302, 404),
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
    ("t/{pk}/panel/channels/r1/", "get", 200, 404),
    ("t/{pk}/panel/channels/nothing/", "get", 404, 404),
    ("t/{pk}/panel/solo/?strips=kick", "get", 200, 404),
    ("t/{pk}/panel/solo/?strips=nobody", "get", 200, 404),
    ("t/{pk}/panel/selection/?strips=kick", "get", 200, 404),
    ("t/{pk}/panel/preview/remove_strips/", "post", 422, 404),
    ("t/{pk}/panel/preview/nonsense/", "post", 404, 404),
    ("t/{pk}/write/planned/", "post", 409, 404),
    ("t/{pk}/write/undo/", "post", 409, 404),
    ("t/{pk}/write/redo/", "post", 409, 404),
    ("t/{pk}/write/fold/", "post", 200, 404),
    ("t/{pk}/write/redraw/", "post", 200, 404),
    ("t/{pk}/write/keep-profile/", "post", 200, 404),
    ("t/{pk}/write/forget-profile/", "post", 200, 404),
    ("t/{pk}/write/tidy/", "post", 200, 404),
    ("t/{pk}/write/remedy/abc/0/", "post", 422, 404),
    ("t/{pk}/write/change_strip/", "post", 409, 404),
    ("t/{pk}/write/nonsense/", "post", 404, 404),
    ("t/{pk}/write/follow/", "post", 204, 404),
    ("t/{pk}/rows/?start=100", "get", 200, 404),
    ("t/{pk}/matter/0123456789abcdef/", "get", 404, 404),
    ("t/{pk}/effect/0123456789abcdef/0123456789ab/", "get", 200, 404),
    ("t/{pk}/strips.json", "get", 200, 404),
    ("t/{pk}/nothing.json", "get", 404, 404),
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
    client.force_login(owner)
    assert getattr(client, method)(url).status_code == own


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
        if not address.startswith("sign-"):
            shape = (
                address.replace("<int:pk>", "1").replace("<int:number>", "1").replace("<int:other>", "1").split("<")[0]
            )
            assert any(row.startswith(shape) for row in known), address


@pytest.mark.parametrize("method", ["get", "post"])
def test_writing_needs_post_and_the_token_of_the_page(stored, owner, method: str) -> None:  # type: ignore[no-untyped-def]
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(owner)
    answer = getattr(strict, method)(f"/t/{stored.pk}/write/tidy/")
    assert answer.status_code == {"get": 405, "post": 403}[method]


def test_the_sign_in_link_works_only_in_the_demo_and_only_untampered(client: Client, owner, settings) -> None:  # type: ignore[no-untyped-def]
    link = f"/sign-in/{token_for(owner.pk)}/"
    settings.DEMO_SIGN_IN = False
    assert client.get(link).status_code == 404
    settings.DEMO_SIGN_IN = True
    assert client.get(link[:-2] + "x/").status_code == 404
    assert client.get(link)["Location"] == "/demo/"
    assert client.get("/").status_code == 200


def test_every_answer_says_how_long_it_took_and_what_may_be_loaded(signed_in: Client, stored) -> None:  # type: ignore[no-untyped-def]
    answer = signed_in.get(f"/t/{stored.pk}/map/")
    assert "total;dur=" in answer["Server-Timing"]
    assert answer["Content-Security-Policy"].startswith("default-src 'self'")
    assert b"https://" not in answer.content
