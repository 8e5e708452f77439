"""The list of templates: copy, delete, restore."""

from __future__ import annotations

import pytest
from django.test import Client

from lattice.checks.audit import audit
from web.reuse.models import KeptBlock
from web.shelf.models import StoredTemplate
from web.shelf.starting import STARTERS


def test_a_copy_is_a_template_of_its_own(signed_in: Client, stored: StoredTemplate) -> None:
    signed_in.post(f"/t/{stored.pk}/duplicate/")
    signed_in.post(f"/t/{stored.pk}/duplicate/")
    assert sorted(StoredTemplate.objects.values_list("name", flat=True)) == ["Small", "Small (copy 2)", "Small (copy)"]


def test_taking_off_the_shelf_can_be_taken_back(signed_in: Client, stored: StoredTemplate) -> None:
    answer = signed_in.post(f"/t/{stored.pk}/delete/", follow=True)
    assert "Small deleted" in answer.content.decode()
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 404
    signed_in.post(f"/t/{stored.pk}/restore/")
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200


def test_an_empty_shelf_and_an_empty_sheet_say_what_to_do_first(signed_in: Client) -> None:
    assert "No templates yet" in signed_in.get("/").content.decode()
    page = signed_in.post("/new/", {"name": "Fresh"}, follow=True).content.decode()
    assert "No strips yet" in page
    assert "Nothing is wrong" not in page


@pytest.mark.parametrize("starter", STARTERS)
def test_a_starter_is_whole_and_begun_with_one_press(signed_in: Client, starter: str) -> None:
    """Each opens on its map without findings; a second press creates another template under a name of its own."""
    assert f'value="{starter}"' in signed_in.get("/new/").content.decode()
    for _time in range(2):
        assert signed_in.post("/new/", {"starter": starter}).status_code == 302
    first, second = StoredTemplate.objects.order_by("pk")
    assert first.name == STARTERS[starter].name != second.name
    assert (first.summary["blocker"], first.summary["warning"]) == (0, 0)
    codes = {finding.code for finding in audit(STARTERS[starter].make()).findings if finding.severity != "note"}
    assert not codes


def test_a_starter_that_there_is_not_asks_for_a_name(signed_in: Client) -> None:
    assert signed_in.post("/new/", {"starter": "nothing"}).status_code == 200
    assert not StoredTemplate.objects.exists()


def test_the_demo_is_made_once_and_prints_the_way_in(db: None, capsys: pytest.CaptureFixture[str]) -> None:
    from django.core.management import call_command

    call_command("demo")
    call_command("demo")
    assert sorted(StoredTemplate.objects.values_list("name", flat=True)) == [
        "Night Ferry",
        "Night Ferry, clean revision",
        "Night Ferry, narration alone",
        "Podcast kit",
    ]
    assert sorted(KeptBlock.objects.values_list("name", "version")) == [("Choir", 1), ("Glass and tide", 1)]
    variant = StoredTemplate.objects.get(name="Night Ferry, narration alone")
    assert variant.variant_of is not None
    assert variant.variant_of.name == "Night Ferry, clean revision"
    assert variant.summary["blocker"] == 0
    assert "/sign-in/" in capsys.readouterr().out
    summaries = dict(StoredTemplate.objects.values_list("name", "summary"))
    assert summaries["Night Ferry"]["blocker"] > 0
    assert (
        summaries["Night Ferry, clean revision"]["blocker"],
        summaries["Night Ferry, clean revision"]["warning"],
    ) == (0, 0)
