"""Two browsers on one template: each sees the other's edits, and no work is lost."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.test_main_job import Opener
from tests.build import template
from web.people.roles import Role
from web.shelf.models import Share, StoredTemplate
from web.shelf.workspace import workspace

ROOM = template(
    [{"id": "kick", "name": "Kick", "kind": "audio"}, {"id": "bus", "name": "Drum bus", "kind": "bus"}, "o:out"],
    ["kick>bus", "bus>out"],
)

pytestmark = pytest.mark.usefixtures("intercepted")


@pytest.fixture
def other(browser: Browser, live_server, page: Page) -> Iterator[Page]:  # type: ignore[no-untyped-def]
    """M. Quay's browser."""
    person = User.objects.create_user("quay", first_name="M.", last_name="Quay")
    client = Client()
    client.force_login(person)
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url)
    key = client.cookies[settings.SESSION_COOKIE_NAME].value
    context.add_cookies([{"name": settings.SESSION_COOKIE_NAME, "value": key, "url": live_server.url}])
    yield context.new_page()
    context.close()


def test_each_learns_of_the_other_and_both_edits_are_kept(page: Page, other: Page, on_map: Opener) -> None:
    stored = on_map(ROOM)
    Share.objects.create(template=stored, user=User.objects.get(username="quay"), role=Role.EDITOR)
    other.goto(f"/t/{stored.pk}/map/?strip=kick")
    expect(page.locator(".company-one")).to_have_text("MQ")
    page.click('[data-id="kick"]')
    page.fill("#s-name", "Big kick")  # being typed while the other one edits
    other.fill("#s-fader", "-6")
    other.press("#s-fader", "Enter")
    expect(page.locator(".company-said")).to_contain_text("M. Quay, edit 1: Kick: fader")
    expect(page.locator("#state")).to_have_attribute("data-version", "2")
    assert page.input_value("#s-name") == "Big kick"
    page.press("#s-name", "Enter")
    expect(other.locator('[data-id="kick"]')).to_contain_text("Big kick")
    expect(other.locator("#s-name")).to_have_value("Big kick")  # what stands in the margin is as it is now
    kick = workspace(StoredTemplate.objects.get()).template.strips[0]
    assert (kick.name, kick.fader_db) == ("Big kick", -6.0)


def both_set_the_fader(page: Page, other: Page, stored: StoredTemplate) -> None:
    """The other user's edit is stored first; then the page sends its own from the older version."""
    page.click('[data-id="kick"]')
    other.goto(f"/t/{stored.pk}/map/?strip=kick")
    other.fill("#s-fader", "-6")
    other.press("#s-fader", "Enter")
    expect(other.locator("#state")).to_have_attribute("data-version", "2")
    page.fill("#s-fader", "-3")
    page.press("#s-fader", "Enter")


def test_what_both_change_is_refused_with_both_states_and_what_was_typed_stays(
    page: Page, other: Page, on_map: Opener
) -> None:
    stored = on_map(ROOM)
    Share.objects.create(template=stored, user=User.objects.get(username="quay"), role=Role.EDITOR)
    page.route("**/news/**", lambda route: route.fulfill(status=204))  # this page does not learn of it in time
    both_set_the_fader(page, other, stored)
    expect(page.locator(".clashes tbody tr")).to_have_text("Kick, fader usual −3 −6", use_inner_text=True)
    assert page.input_value("#s-fader") == "-3"


def test_a_clash_stays_until_it_is_closed_and_can_be_applied_all_the_same(
    page: Page, other: Page, on_map: Opener
) -> None:
    """The other's edit arrives after it, as before: the note was replaced with it."""
    stored = on_map(ROOM)
    Share.objects.create(template=stored, user=User.objects.get(username="quay"), role=Role.EDITOR)
    news: list[Route] = []
    page.route("**/news/**", lambda route: news.append(route))  # noqa: PLW0108 - a method of a list is refused
    both_set_the_fader(page, other, stored)
    expect(page.locator("#notice .clashes tbody tr")).to_have_text("Kick, fader usual −3 −6", use_inner_text=True)
    page.unroute("**/news/**")
    for route in news:
        route.continue_()
    expect(page.locator("#state")).to_have_attribute("data-version", "2")
    expect(page.locator("#s-fader")).to_have_value(re.compile("−6.0.dB"))
    page.fill("#s-name", "Big kick")
    page.press("#s-name", "Enter")
    expect(page.locator("#state")).to_have_attribute("data-version", "3")
    expect(page.locator("#notice .clashes")).to_be_visible()
    assert page.locator("#notice .sent-again input").input_value() == "-3"
    page.click("#notice >> text=Apply my change")
    expect(page.locator("#state")).to_have_attribute("data-version", "4")
    expect(page.locator("#notice")).to_be_empty()
    kick = workspace(StoredTemplate.objects.get()).template.strips[0]
    assert (kick.name, kick.fader_db) == ("Big kick", -3.0)


def test_a_value_that_is_refused_stays_to_be_put_right(page: Page, other: Page, on_map: Opener) -> None:
    stored = on_map(ROOM)
    Share.objects.create(template=stored, user=User.objects.get(username="quay"), role=Role.EDITOR)
    page.click('[data-id="kick"]')
    page.fill("#s-fader", "loud")
    page.press("#s-fader", "Enter")
    expect(page.locator("#notice")).to_contain_text("“loud” is not a level")
    other.goto(f"/t/{stored.pk}/map/?strip=bus")
    other.fill("#s-name", "Drums")
    other.press("#s-name", "Enter")
    expect(page.locator("#state")).to_have_attribute("data-version", "2")
    assert page.locator("#notice .sent-again input").input_value() == "loud"
    page.fill("#notice .sent-again input", "-4")
    page.press("#notice .sent-again input", "Enter")
    expect(page.locator("#state")).to_have_attribute("data-version", "3")
    expect(page.locator("#notice")).to_be_empty()
    assert workspace(StoredTemplate.objects.get()).template.strips[0].fader_db == -4.0


def test_a_form_that_is_being_filled_in_stays_while_the_other_edits(page: Page, other: Page, on_map: Opener) -> None:
    stored = on_map(ROOM)
    Share.objects.create(template=stored, user=User.objects.get(username="quay"), role=Role.EDITOR)
    page.goto(f"/t/{stored.pk}/stems/")
    page.fill(".rule-form [name=name]", "No kick in the mix")
    page.select_option(".rule-form [name=kind]", index=2)
    page.fill(".rule-form [name=channels]", "C")
    page.click("h1")
    promise = page.input_value(".rule-form [name=kind]")
    other.goto(f"/t/{stored.pk}/map/?strip=kick")
    other.fill("#s-name", "Big kick")
    other.press("#s-name", "Enter")
    expect(page.locator("#state")).to_have_attribute("data-version", "2")
    expect(page.locator("#place-body")).to_contain_text("Big kick")
    filled = [page.input_value(f".rule-form [name={name}]") for name in ("name", "kind", "channels")]
    assert filled == ["No kick in the mix", promise, "C"]


def test_what_the_other_says_is_seen_without_anybody_editing(page: Page, other: Page, on_map: Opener) -> None:
    stored = on_map(ROOM)
    Share.objects.create(template=stored, user=User.objects.get(username="quay"), role=Role.CHECKER)
    page.click('[data-id="kick"]')
    page.click("#panel >> text=Comment")
    expect(page.locator("#remark-list")).to_contain_text("No comments yet")
    other.goto(f"/t/{stored.pk}/map/?remarks=strip:kick")
    other.fill("#panel textarea", "Too loud?")
    other.click("#panel form button")
    expect(page.locator(".company-said")).to_contain_text("M. Quay, Kick: “Too loud?”")
    expect(page.locator('[data-id="kick"] .remark-corner')).to_have_count(1)
    expect(page.locator("#remark-list")).to_contain_text("Too loud?")
    page.fill("#remark-list input", "No")
    other.click("#panel >> text=Resolve")
    expect(page.locator(".company-said")).to_contain_text("comment resolved")
    expect(page.locator(".remark-corner")).to_have_count(0)
    assert page.input_value("#remark-list input") == "No"  # somebody is about to answer


def test_a_strip_that_somebody_remarks_on_has_a_turned_corner(page: Page, on_map: Opener) -> None:
    on_map(ROOM)
    expect(page.locator(".remark-corner")).to_have_count(0)
    page.click('[data-id="kick"]')
    page.click("#panel >> text=Comment")
    page.fill("#panel textarea", "Too loud?")
    page.click("#panel form button")
    expect(page.locator('[data-id="kick"] .remark-corner')).to_have_count(1)
    page.click('[data-id="kick"]')
    expect(page.locator("#panel")).to_contain_text("Comments 1")
    page.fill("#s-fader", "-6")
    page.press("#s-fader", "Enter")
    expect(page.locator("#state")).to_have_attribute("data-version", "2")
    expect(page.locator('[data-id="kick"] .remark-corner')).to_have_count(1)
