"""The form for new strips shows its parsed lines, and refuses errors until told to leave them out."""

from __future__ import annotations

import pytest
from django.test import Client

from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace


def read(client: Client, stored: StoredTemplate, names: str, **values: str) -> str:
    answer = client.post(f"/t/{stored.pk}/panel/rows/", {"names": names, **values})
    assert answer.status_code == 200
    return " ".join(answer.content.decode().split())


READ = [
    ("Tom", {}, ["Read as <strong class=\"figure\">1</strong> strip:", "1</span> audio"]),
    ("Tom\tDrums\nHorn\tBrass", {}, ["2</strong> strips:", "New sections: Brass", "<td>Drum bus</td>"]),
    ("Tom\tDrums\nHorn\tBrass", {"with_buses": "1"}, ["New sections: Brass", "Destinations added: Brass bus"]),
    ("name\tto\tweather\nTom\tOut 5-6\tfine", {}, ["Destinations added: Out 5–6", "Columns not used: weather"]),
    ("name\tlayout\nTom\twide", {}, ["row 2, column layout: “wide” is not a layout", "leave out unclear values (1)"]),
    ("", {}, []),
    ("\n".join(f"Tom {n}" for n in range(40)), {}, ["40</strong> strips:", "Tom 39"]),
]  # fmt: skip


@pytest.mark.parametrize(("names", "values", "said"), READ, ids=[str(n) for n in range(len(READ))])
def test_what_lines_are_read_as(
    signed_in: Client, stored: StoredTemplate, names: str, values: dict, said: list[str]
) -> None:
    page = read(signed_in, stored, names, **values)
    assert [words for words in said if words not in page] == []
    assert workspace(StoredTemplate.objects.get()).template == workspace(stored).template  # nothing is written


def test_what_is_not_understood_is_refused_or_left_out(signed_in: Client, stored: StoredTemplate) -> None:
    lines = {"base": 1, "names": "name\tlayout\nTom\twide\nHorn\tmono"}
    refused = signed_in.post(f"/t/{stored.pk}/write/spread/", lines)
    assert refused.status_code == 422
    assert "row 2, column layout" in refused.content.decode()
    done = signed_in.post(f"/t/{stored.pk}/write/spread/", {**lines, "leave_out": "1"})
    assert done.status_code == 200
    added = [strip.name for strip in workspace(StoredTemplate.objects.get()).template.strips]
    assert added[-2:] == ["Tom", "Horn"]


def test_the_tick_stays_when_the_preview_is_drawn_anew(signed_in: Client, stored: StoredTemplate) -> None:
    """The form posts itself 0.2 s after each tick: the answer has its state."""
    lines = "name\tlayout\nTom\twide"
    tick = 'id="add-leave-out" type="checkbox" name="leave_out" value="1"'
    assert f"{tick} >" in read(signed_in, stored, lines)
    assert f"{tick} checked>" in read(signed_in, stored, lines, leave_out="1")


def test_the_form_offers_all_ends_and_the_next_colour(signed_in: Client, stored: StoredTemplate) -> None:
    page = signed_in.get(f"/t/{stored.pk}/panel/add/?section=drums").content.decode()
    assert 'value="Drums"' in page
    assert "<option>Out</option>" in page
    assert 'value="#2d6488"' in page  # the first of the palette is the section's that is there
