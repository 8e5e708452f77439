"""Several users in their browsers: invited, given a role, shown a revision by a link; the pages of each."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import Browser, Page, expect

from tests.browser.test_main_job import Opener
from web.people.models import Member, Team
from web.people.roles import Role
from web.revisions import services as revisions
from web.shelf.demo import night_ferry
from web.shelf.models import Share, StoredTemplate

PASSWORD = "tide and glass 7"  # noqa: S105 - of nobody
Somebody = Callable[[], Page]


@pytest.fixture
def somebody(browser: Browser, live_server) -> Iterator[Somebody]:  # type: ignore[no-untyped-def]
    """Browsers of users who are not signed in."""
    contexts = []

    def opened() -> Page:
        contexts.append(browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url))
        return contexts[-1].new_page()

    yield opened
    for context in contexts:
        context.close()


@pytest.fixture
def runs(person: User) -> User:
    User.objects.filter(pk=person.pk).update(is_staff=True)
    return person


def shown_once(page: Page) -> str:
    return page.locator(".secret").inner_text().strip()


def make_account(page: Page, name: str, password: str = PASSWORD) -> None:
    page.fill("#id_username", name)
    page.fill("#id_password1", password)
    page.fill("#id_password2", password)
    page.click("text=Create account")


def test_somebody_is_invited_makes_an_account_and_finds_what_was_shared(
    page: Page, somebody: Somebody, runs: User, on_map: Opener
) -> None:
    stored = on_map(night_ferry.clean())
    page.goto("/administration/")
    page.fill("input[name=note]", "M. Quay")
    page.click("text=Invite")
    link = shown_once(page)
    quay = somebody()
    quay.goto(link)
    make_account(quay, "quay", "short")
    expect(quay.locator(".problem")).to_contain_text("at least 12 characters")
    expect(quay.locator("#id_username")).to_have_value("quay")  # what was typed stays
    make_account(quay, "quay")
    expect(quay.locator("main")).to_contain_text("No templates yet")
    page.goto(f"/t/{stored.pk}/people/")
    give = page.locator("form[action$='/people/give/']")
    give.locator("[name=name]").fill("quay")
    give.locator("select").select_option("reader")
    give.locator("button").click()
    expect(page.locator("table").first).to_contain_text("Viewer")
    quay.reload()
    quay.click(f"text={stored.name}")
    quay.wait_for_selector("body[data-ready]")
    quay.click('[data-id="bells"]')
    quay.fill("#s-fader", "-6")
    quay.press("#s-fader", "Enter")
    expect(quay.locator("#notice")).to_contain_text("You need the role editor")
    late = somebody()
    late.goto(link)
    expect(late.locator("main")).to_contain_text("This invitation was used")


def test_a_link_shows_one_revision_and_nothing_else_until_it_is_revoked(
    page: Page, somebody: Somebody, person: User, on_map: Opener
) -> None:
    stored = on_map(night_ferry.clean())
    revisions.seal(stored.pk, person, 1, "For the stage")
    page.goto(f"/t/{stored.pk}/people/")
    make = page.locator("form[action$='/people/links/make/']")
    make.locator("[name=note]").fill("Stage crew")
    make.locator("button").click()
    crew = somebody()
    crew.goto(shown_once(page))
    expect(crew.locator("h1")).to_contain_text("revision 1")
    assert crew.locator(".shown-map img").evaluate("one => one.decode().then(() => one.naturalWidth)") > 500
    address = crew.url
    assert crew.locator("meta[name=robots]").get_attribute("content") == "noindex, nofollow"
    crew.goto(f"/t/{stored.pk}/map/")
    expect(crew.locator("h1")).to_have_text("Sign in")
    page.reload()
    page.click("text=Revoke")
    gone = crew.goto(address)
    assert gone is not None
    assert gone.status in (404, 410)


def test_a_role_that_is_taken_away_is_told_and_what_was_typed_stays(
    page: Page, person: User, on_map: Opener, tolerated: set[str]
) -> None:
    tolerated.add("403")
    stored = on_map(night_ferry.clean())
    owner = User.objects.create_user("strand")
    StoredTemplate.objects.filter(pk=stored.pk).update(owner=owner)
    share = Share.objects.create(template=stored, user=person, role=Role.EDITOR)
    page.reload()
    page.wait_for_selector("body[data-ready]")
    page.click('[data-id="bells"]')
    page.fill("#s-name", "Ship bells")
    Share.objects.filter(pk=share.pk).update(role=Role.READER)
    page.press("#s-name", "Enter")
    expect(page.locator("#notice")).to_contain_text("You need the role editor")
    expect(page.locator("#s-name")).to_have_value("Ship bells")


def test_a_template_is_handed_to_a_team_whose_members_then_have_it(page: Page, person: User, on_map: Opener) -> None:
    stored = on_map(night_ferry.clean())
    team = Team.objects.create(name="Harbour stage")
    Member.objects.create(team=team, user=person, role=Role.OWNER)
    page.goto(f"/t/{stored.pk}/people/")
    page.click("text=Transfer ownership")
    hand = page.locator("form[action$='/people/hand-over/']", has=page.locator("[name=team]"))
    hand.locator("select").select_option(label="Harbour stage")
    hand.locator("button").click()
    expect(page.locator("main")).to_contain_text("Harbour stage")
    stored.refresh_from_db()
    assert stored.team == team
