"""Job 13: a new show from last year's template."""

from __future__ import annotations

from msgspec.structs import replace
from playwright.sync_api import Page

from tests.browser.jobs.hand import Hand, counted
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.starting import STARTERS
from web.shelf.workspace import workspace


def test_a_new_show_begins_with_last_years_template(page: Page, person) -> None:  # type: ignore[no-untyped-def]
    last_year = replace(STARTERS["ensemble"].make(), info={"artist": "A. Tern", "album": "Old pier"})
    old = services.store(person, last_year)
    page.goto("/")
    hand = Hand(page, old)
    hand.click("text=New from this")
    hand.fill("#id_name", "New pier")
    hand.fill("#id_tempo_bpm", "104")
    hand.fill("#id_info", "artist: B. Gull")
    hand.click("text=Create")
    page.wait_for_selector("body[data-ready]")
    made = workspace(StoredTemplate.objects.get(name="New pier")).template
    assert (made.tempo_bpm, made.info, made.strips) == (104.0, {"artist": "B. Gull"}, last_year.strips)
    assert page.locator(".crumb").inner_text().startswith("New pier")
    counted(hand, "13 a new show from last year's template", 5)
