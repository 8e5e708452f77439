"""Answers that carry only the changes: applied to a page, they equal a fresh one."""

from __future__ import annotations

import json
import re
from html import unescape
from random import Random
from typing import Any

import pytest
from django.test import Client
from hypothesis import given
from hypothesis import strategies as st

from lattice.generate import generate
from lattice.model.document import Template
from tests.deep import tries
from tests.web.test_writes import now
from web.editor.lists import NUMBER, KeyedList, Table, forget_lists, recall
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

LISTS = ("frame", "lines", "boxes", "title", "matters", "margin-head")
KEYS = st.lists(st.sampled_from("abcdefgh"), unique=True)


def put(shown: dict[str, str], change: Any) -> dict[str, str]:
    """A browser's handling of a change: `changes.js` in Python."""
    fresh = dict(re.findall(r"<i id=(\w)>(.*?)</i>", str(change.html)))
    if change.keys is None:
        return {**shown, **fresh}
    return {key: fresh.get(key, shown.get(key, "?")) for key in change.keys.split()}


@given(KEYS, KEYS, st.integers(0, 999))
@tries(200)
def test_a_list_after_a_change_is_the_list(before: list[str], after: list[str], seed: int) -> None:
    chance = Random(seed)  # noqa: S311
    texts = [{key: chance.choice("xy") for key in keys} for keys in (before, after)]
    lists = [KeyedList("l", [(key, f"<i id={key}>{text}</i>") for key, text in one.items()]) for one in texts]
    token = lists[0].remembered()
    change = lists[1].change(recall(f"l:{token}")["l"])
    if texts[0] == texts[1] and before == after:
        assert change is None
    else:
        assert list(put(texts[0], change).items()) == list(texts[1].items())
        kept = {key for key in after if texts[0].get(key) == texts[1][key]}
        assert not any(f"<i id={key}>" in change.html for key in kept)  # and it carries no signal that stood there


def test_without_a_token_that_is_known_all_of_it_goes_out() -> None:
    rows = [("a", 1), ("b", 2)]
    forget_lists()
    assert recall("l:0123456789ab") == {}
    change = Table.of("id n", rows).change("l", None)
    assert json.loads(unescape(change.html)) == {  # type: ignore[union-attr]
        "columns": ["id", "n"], "rows": [["a", 1], ["b", 2]], "gone": [],
    }  # fmt: skip


def test_of_a_large_change_of_a_table_only_that_goes_out() -> None:
    table = Table.of("id", [(str(number),) for number in range(200)])
    change = table.change("t", {})
    assert change is not None
    assert (change.token, change.html) == ("", "{}")


@given(KEYS, KEYS)
@tries(60)
def test_a_table_after_a_change_is_the_table(before: list[str], after: list[str]) -> None:
    tables = [Table.of("id n", [(key, place % 2) for place, key in enumerate(keys)]) for keys in (before, after)]
    change = tables[1].change("t", recall(f"t:{tables[0].whole()['shown']}")["t"])
    known = {row[0]: list(row) for row in tables[0].rows}
    if change is not None:
        data = json.loads(unescape(change.html))
        known = {key: row for key, row in known.items() if key not in data["gone"]} | {r[0]: r for r in data["rows"]}
    assert known == {row[0]: list(row) for row in tables[1].rows}


class Page:
    """A page of the map as a browser keeps it: lists by id, pieces by key, tokens."""

    def __init__(self, client: Client, stored: StoredTemplate) -> None:
        self.client, self.stored = client, stored
        page = client.get(f"/t/{stored.pk}/map/").content.decode()
        self.tokens = dict(re.findall(r'id="([\w-]+)"\s+data-shown="(\w+)"', page))
        for table in ("strips", "wires"):
            self.tokens[table] = client.get(f"/t/{stored.pk}/{table}.json").json()["shown"]
        self.lists = {into: self._pieces(into, page) for into in LISTS}

    @staticmethod
    def _pieces(into: str, page: str) -> dict[str, str]:
        opening = re.search(rf'id="{into}"\s+data-shown="\w+">', page)
        assert opening, into
        return _split(page[opening.end() :])

    def write(self, what: str, **values: str) -> int:
        """Makes an edit and puts the answer in; gives the bytes of the answer."""
        self.stored.refresh_from_db()
        said = " ".join(f"{into}:{token}" for into, token in self.tokens.items())
        form = {"base": self.stored.version, "place": "map", "shown": said, **values}
        answer = self.client.post(f"/t/{self.stored.pk}/write/{what}/", form)
        assert answer.status_code == 200, answer.content.decode()
        for attributes, html in re.findall(r"<template([^>]*)>(.*?)</template>", answer.content.decode(), re.DOTALL):
            about = dict(re.findall(r'data-(\w+)="([^"]*)"', attributes))
            into = about["into"]
            self.tokens[into] = about["token"]
            if "table" in about:
                continue
            fresh = _split(html.removeprefix("<svg>").removesuffix("</svg>"))
            known = {**self.lists[into], **fresh}
            keys = about["keys"].split() if "keys" in about else list(self.lists[into])
            self.lists[into] = {key: known[key] for key in keys}
        return len(answer.content)


def _split(html: str) -> dict[str, str]:
    """Sibling elements by id, up to the end of their parent."""
    found, depth, start = {}, 0, 0
    for tag in re.finditer(r"<(/?)(g|li|ol|div)\b[^>]*?(/?)>", html):
        if tag[1]:
            depth -= 1
            if depth < 0:
                break  # the end of their list
        elif not tag[3]:
            if not depth:
                start = tag.start()
            depth += 1
        if not depth and not tag[3]:
            piece = html[start : tag.end()]
            key = re.search(r'\bid="([^"]+)"', piece)
            assert key, piece[:200]
            found[key[1]] = piece
    return found


@pytest.fixture
def page(signed_in: Client, owner) -> Page:  # type: ignore[no-untyped-def]
    return Page(signed_in, services.store(owner, generate(60, worn=True)))


EDITS = [
    ("change_strip", {"strip": "{audio}", "fader_db": "-7"}),
    ("change_strip", {"strip": "{audio}", "name": "Renamed"}),
    ("change_strip", {"strip": "{bus}", "mute": "yes"}),
    ("connect", {"from": "{audio}", "to": "{bus}", "kind": "send", "gain_db": "-6"}),
    ("remove_strips", {"strips": "{audio}"}),
    ("fold", {"section": "all"}),
    ("fold", {"section": "none"}),
    ("undo", {}),
    ("change_template", {"name": "Another title"}),
]


def test_after_edits_the_page_is_what_a_fresh_one_shows(page: Page) -> None:
    for what, values in EDITS:
        template: Template = now(page.stored)
        ids = {kind: [strip.id for strip in template.strips if strip.kind == kind][-1] for kind in ("audio", "bus")}
        page.write(what, **{name: value.format(**ids) for name, value in values.items()})
        page.stored.refresh_from_db()
        fresh = Page(page.client, page.stored)
        for into in LISTS:
            assert _unnumbered(page.lists[into]) == _unnumbered(fresh.lists[into]), (what, into)


def _unnumbered(pieces: dict[str, str]) -> list[tuple[str, str]]:
    """Pieces in their order without the numbers of matters, which an open page keeps as it showed them first."""
    return [(key, NUMBER.sub("", piece)) for key, piece in pieces.items()]


def test_an_answer_carries_what_changed_only(page: Page) -> None:
    first = page.write("change_strip", strip=now(page.stored).strips[5].id, pan="0.25")
    whole = len(page.client.get(f"/t/{page.stored.pk}/map/").content)
    assert first < whole / 4
    forget_lists()
    assert page.write("change_strip", strip=now(page.stored).strips[5].id, pan="0.5") > whole / 2  # nobody knows


def test_records_are_asked_for_and_good_for_the_state_they_are_of(page: Page) -> None:
    template: Template = now(page.stored)
    strips = page.client.get(f"/t/{page.stored.pk}/strips.json").json()
    assert [row[:3] for row in strips["rows"]] == [[one.id, one.name, one.kind] for one in template.strips]
    wires = page.client.get(f"/t/{page.stored.pk}/wires.json").json()
    drawn = sorted(route for row in wires["rows"] for route in row[0])
    assert drawn == sorted(route.id for route in template.routes)
    assert recall(f"strips:{strips['shown']} wires:{wires['shown']} other:").keys() == {"strips", "wires"}


@pytest.mark.django_db(transaction=True)  # a written version is cached once it is committed
def test_what_is_the_same_is_not_made_again(page: Page) -> None:
    strip, records = now(page.stored).strips[5].id, []
    for pan in ("0.25", "0.5"):
        page.write("change_strip", strip=strip, pan=pan)
        page.stored.refresh_from_db()
        records.append(dict(workspace(page.stored).records))
    changed = {key for key, record in records[1].items() if records[0].get(key) is not record}
    assert changed == {f"strip {strip}"}
