"""Requests between page and server: one queue, typed text preserved, failures reported, progress polled."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.gestures import BAND, holding, settled
from tests.browser.test_main_job import Opener, at_version, choose, now

pytestmark = pytest.mark.usefixtures("intercepted")


@pytest.fixture
def sent(page: Page) -> list[dict[str, str]]:
    """The posted requests, in order; the page's own idle requests are left out."""
    posts: list[dict[str, str]] = []

    def note(request: Any) -> None:
        what = request.url.rstrip("/").rsplit("/", 1)[1]
        if request.method == "POST" and what not in ("follow", "opened"):
            posts.append({"what": what, **(dict(request.post_data_json or {}))})

    page.on("request", note)
    return posts


def test_quick_edits_wait_for_each_other_and_each_knows_the_one_before(
    page: Page, on_map: Opener, sent: list[dict[str, str]]
) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.keyboard.press("m")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+y")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+y")
    at_version(page, 6)
    assert [post["what"] for post in sent] == ["change_strip", "undo", "redo", "undo", "redo"]
    assert [post["base"] for post in sent] == ["1", "2", "3", "4", "5"]
    assert {post["chosen_strip"] for post in sent} == {"lead"}
    assert now().strips[0].mute


def test_a_field_is_said_once_when_it_is_left_or_entered(
    page: Page, on_map: Opener, sent: list[dict[str, str]]
) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.focus("#s-name")
    page.keyboard.press("Tab")  # nothing was typed
    page.fill("#s-name", "Main voice")
    page.keyboard.press("Enter")
    at_version(page, 2)
    page.keyboard.press("Tab")
    page.select_option("#s-monitor", "always")
    at_version(page, 3)
    assert [(post["what"], post.get("name"), post.get("monitor")) for post in sent] == [
        ("change_strip", "Main voice", None),
        ("change_strip", None, "always"),
    ]


def test_what_is_being_typed_stays_with_its_caret_while_an_answer_arrives(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.keyboard.press("m")
    page.fill("#s-name", "Lead voice")
    page.evaluate("document.getElementById('s-name').setSelectionRange(2, 2)")
    at_version(page, 2)
    expect(page.locator("#s-name")).to_be_focused()
    page.keyboard.type("X")
    assert page.locator("#s-name").input_value() == "LeXad voice"


def test_what_is_chosen_is_not_changed_in_the_margin_of_the_former_choice(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    with holding(page, "**/panel/strip/double/") as held:
        page.click('[data-id="double"]')
    page.keyboard.press("m")
    page.evaluate("document.querySelector('#panel [data-values*=mute]').click()")  # nobody's hand reaches it
    assert page.locator("#panel").get_attribute("aria-busy") == "true"
    held[0].continue_()
    at_version(page, 2)
    assert [strip.id for strip in now().strips if strip.mute] == ["double"]


def test_an_answer_to_what_has_left_the_page_changes_nothing(page: Page, on_map: Opener) -> None:
    with holding(page, "**/write/follow/") as held:
        on_map(BAND)
    answer = held[0].fetch()  # of version 1
    choose(page, "lead")
    page.keyboard.press("m")
    at_version(page, 2)
    page.fill("#s-name", "Lead voice")
    with page.expect_response("**/write/follow/") as come:
        held[0].fulfill(response=answer)
    come.value.finished()
    settled(page)
    expect(page.locator("#s-name")).to_be_focused()
    assert page.locator("#state").get_attribute("data-version") == "2"
    expect(page.locator('[data-id="lead"]')).to_contain_text("mute")


@pytest.mark.parametrize(
    ("status", "words"),
    [
        (500, "Server error. Reload to see if your change was saved"),
        (404, "Not saved. Reload to see the current version"),
    ],
)
def test_an_answer_that_fails_is_said_and_closed(
    page: Page, on_map: Opener, tolerated: set[str], status: int, words: str
) -> None:
    tolerated |= {str(status), "Response Status Error"}
    on_map(BAND)
    choose(page, "lead")
    page.route("**/write/change_strip/", lambda route: route.fulfill(status=status, body="no"))
    page.keyboard.press("m")
    expect(page.locator("#notice")).to_contain_text(words)
    page.click("#notice >> text=Close")
    expect(page.locator("#notice")).to_be_empty()
    page.unroute("**/write/change_strip/")
    page.keyboard.press("m")
    at_version(page, 2)


def test_an_edit_whose_answer_is_lost_is_seen_as_soon_as_the_server_answers(
    page: Page, on_map: Opener, tolerated: set[str]
) -> None:
    tolerated |= {"ERR_FAILED", "htmx:sendError", "htmx:afterRequest"}

    def lose(route: Route) -> None:
        route.fetch()
        route.abort()

    on_map(BAND)
    choose(page, "lead")
    page.route("**/news/**", lambda route: route.fulfill(status=204))
    page.route("**/write/change_strip/", lose, times=1)
    page.keyboard.press("m")
    expect(page.locator("#notice")).to_contain_text("When it is back, this page shows if your change was saved")
    page.unroute("**/news/**")
    at_version(page, 2)
    expect(page.locator("#notice")).to_be_empty()
    expect(page.locator('[data-id="lead"]')).to_contain_text("mute")


def test_a_busy_server_keeps_the_write_to_be_sent_again(page: Page, on_map: Opener, tolerated: set[str]) -> None:
    tolerated |= {"503", "Response Status Error"}
    on_map(BAND)
    choose(page, "lead")
    note = '<div class="strip-note warn" role="alert"><button type="button" data-do="again">Try again</button></div>'

    def busy(route: Route) -> None:
        route.fulfill(status=503, body=note, headers={"HX-Retarget": "#notice", "HX-Reswap": "afterbegin"})

    page.route("**/write/change_strip/", busy)
    page.fill("#s-name", "Kept")
    page.keyboard.press("Enter")
    page.locator("#notice button").wait_for()
    page.unroute("**/write/change_strip/")
    page.click("#notice >> text=Try again")
    at_version(page, 2)
    assert now().strips[0].name == "Kept"


def test_paper_or_dark_is_chosen_kept_and_one_palette(page: Page, on_map: Opener) -> None:
    page.emulate_media(color_scheme="light")
    on_map(BAND)
    ground = "getComputedStyle(document.body).backgroundColor"
    paper = page.evaluate(ground)
    page.click("#sheet-switch")
    dark = page.evaluate(ground)
    assert (paper, dark) == ("rgb(233, 228, 216)", "rgb(12, 17, 20)")
    page.reload()
    assert page.evaluate(ground) == dark
    page.click("#sheet-switch")
    assert page.evaluate(ground) == paper
    page.context.clear_cookies(name="sheet")
    page.emulate_media(color_scheme="dark")
    page.reload()
    assert page.evaluate(ground) == dark  # the system's setting, without a choice


def test_the_quick_open_finds_by_words_in_any_order_and_walks_round(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    page.keyboard.press("/")
    expect(page.locator("#find")).to_be_focused()
    page.keyboard.type("audio le")
    rows = page.locator("#find-list li[data-at]")
    expect(rows.first).to_contain_text("Lead")
    page.fill("#find", "o")
    expect(rows.nth(2)).to_be_visible()
    expect(page.locator('#find-list li[aria-selected="true"]')).to_have_count(1)
    page.keyboard.press("ArrowUp")
    expect(rows.last).to_have_attribute("aria-selected", "true")
    page.keyboard.press("ArrowDown")
    expect(rows.first).to_have_attribute("aria-selected", "true")
    page.fill("#find", "zzz")
    expect(page.locator("#find-list")).to_have_text("no strip or command with this name")
    page.keyboard.press("Enter")  # nothing to take
    page.keyboard.press("Escape")
    expect(page.locator("#find-list")).to_be_hidden()
    page.keyboard.press("/")
    page.keyboard.type("collapse all")
    page.keyboard.press("Enter")
    expect(page.locator("#sheet-holder .k-fold")).to_have_count(2)
    page.keyboard.press("/")
    page.keyboard.type("hal")
    page.locator("#find-list li").first.click()
    expect(page.locator("#s-name")).to_have_value("Hall")
