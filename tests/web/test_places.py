"""Every place, for every kind of template: titled, found in the navigation, with its keys, and never without a word."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.test import Client

from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from web.editor.places.base import EVERYWHERE, PLACES, all_keys, navigation
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.demo.podcast import podcast

LONG = "Ω" * 250 + "x y" * 83 + "z"  # 500 signs, with and without places to break a line
TEMPLATES: dict[str, Template] = {
    "empty": Template(name="Empty"),
    "one strip": template(["a:x"], []),
    "silent": template([{"id": "x", "kind": "audio", "source": None}, "o:out"], ["x>out"]),
    "one strip with a name of 500 signs": template(
        [{"id": "x", "name": LONG[:500], "kind": "audio"}, "o:out"], ["x>out"]
    ),
    "markup in names": template(
        [
            {"id": "x", "name": "<b>&\"'</script>", "kind": "instrument", "outlets": [{"id": "1", "name": "<i>"}]},
            "o:out",
        ],
        ["x>out"],
        note="</div><script>alert(1)</script>",
        sections=[{"id": "s", "name": "<u>Drums</u>"}],
        stems=[{"id": "m", "name": "<s>Mix</s>", "strip": "out", "role": "mix", "layout": "mono"}],
    ),
    "loops": template(["b:x", "b:y", "o:out"], ["x>y", "y>x", "x>out"]),
    "podcast": podcast(),
    "in work": night_ferry.in_work(),
    "generated": generate(120),
}


def words_of(page: str) -> str:
    return " ".join(re.sub(r"<[^>]+>", " ", page).split())


@pytest.mark.parametrize("kind", TEMPLATES)
@pytest.mark.parametrize("place", PLACES)
def test_a_place_shows_any_template(signed_in: Client, owner: Any, place: str, kind: str) -> None:
    stored = services.store(owner, TEMPLATES[kind])
    answer = signed_in.get(f"/t/{stored.pk}/{place}/")
    page = answer.content.decode()
    assert answer.status_code == 200
    assert f"{PLACES[place].title} – Intact Lattice" in " ".join(page.split())
    assert page.count("<h1") == 1
    assert "<script>alert" not in page
    assert "<b>&\"'" not in page
    assert not re.search(r"\b(None|nan|inf|\[object Object\]|Traceback)\b", words_of(page).replace("−∞", ""))
    assert len(words_of(page)) > 200  # an empty page names the first step


@pytest.mark.parametrize("place", PLACES)
def test_the_navigation_says_where_one_is_and_the_help_has_its_keys(signed_in: Client, stored: Any, place: str) -> None:
    page = signed_in.get(f"/t/{stored.pk}/{place}/").content.decode()
    here = re.findall(r'<a[^>]*aria-current="page"[^>]*>\s*([^<]+?)\s*</a>', page)
    assert here == [PLACES[place].title]
    for shown in navigation():
        for other in shown:
            assert f"/t/{stored.pk}/{other.name}/" in page
    help_text = words_of(page[page.index('id="help"') :])
    for _keys, what in (*EVERYWHERE, *PLACES[place].keys):
        assert what.replace("`", "") in help_text


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize(
    "query",
    [
        "?strip=kick",
        "?strip=nobody",
        "?strips=kick+lost",
        "?finding=0123456789ab",
        "?section=nothing",
        "?strip=%00",
        "?page=-1",
    ],
)
def test_any_address_opens_the_place(signed_in: Client, stored: Any, place: str, query: str) -> None:
    assert signed_in.get(f"/t/{stored.pk}/{place}/{query}").status_code == 200


def test_places_stand_once_in_an_order_of_the_work() -> None:
    shown = [place for group in navigation() for place in group]
    assert [place.name for place in shown] == list(PLACES)
    assert len({place.title for place in shown}) == len(shown)
    assert len({(place.group, place.order) for place in shown}) == len(shown)
    assert next(place.name for place in shown) == "map"


def test_no_two_things_are_on_one_key_of_a_place() -> None:
    for place in PLACES.values():
        keys = [key for keys, _what in (*EVERYWHERE, *place.keys) for key in [keys]]
        assert len(set(keys)) == len(keys), place.name
    assert all_keys()
