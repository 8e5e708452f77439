"""The map by keyboard: every key of the list works as listed, and none during typing."""

from __future__ import annotations

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.gestures import BAND, address, chosen, lit, rect_of, sheet_place
from tests.browser.test_main_job import Opener, at_version, box, choose, now
from web.shelf.demo import night_ferry


def test_choosing_and_letting_go(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    assert (chosen(page), address(page)) == ({"lead"}, "strip=lead")
    page.keyboard.press("s")
    expect(page.locator("#panel")).to_contain_text("3 strips selected")
    assert chosen(page) == {"lead", "double", "voices-bus"}
    assert set(address(page).removeprefix("strips=").split("+")) == {"lead", "double", "voices-bus"}
    page.keyboard.press("Escape")
    expect(page.locator("#panel .finding").first).to_be_visible()
    assert (chosen(page), address(page)) == (set(), "")
    box(page, "hall").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#s-name")).to_have_value("Hall")
    box(page, "mix").focus()
    page.keyboard.press("Shift+Enter")
    expect(page.locator("#panel")).to_contain_text("2 strips selected")
    box(page, "mix").focus()
    page.keyboard.press("Shift+Enter")
    expect(page.locator("#s-name")).to_have_value("Hall")
    assert address(page) == "strip=hall"


def test_arrows_go_to_the_nearest_box_that_way(page: Page, on_map: Opener) -> None:
    on_map(BAND)

    def at() -> str | None:
        return page.evaluate("document.activeElement.dataset.id")

    box(page, "lead").focus()
    page.keyboard.press("ArrowDown")
    assert at() == "double"
    page.keyboard.press("ArrowUp")
    assert at() == "lead"
    page.keyboard.press("ArrowRight")
    assert at() == "voices-bus"
    page.keyboard.press("ArrowLeft")
    assert at() == "double"  # it stands on the row of the bus
    page.keyboard.press("ArrowUp")
    assert page.locator('#sheet-holder .box[tabindex="0"]').count() >= 1
    page.keyboard.press("ArrowUp")  # nothing lies there
    assert at() == "lead"


def test_connecting_and_tracing_ask_for_a_strip_by_name(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lost")
    page.keyboard.press("c")
    expect(page.locator("#find")).to_have_attribute("placeholder", "Lost → destination")
    page.keyboard.type("mix")
    page.keyboard.press("Enter")
    expect(page.locator("#chooser")).to_be_visible()
    assert page.locator("#chooser-from").inner_text() == "Lost"
    page.keyboard.press("Enter")  # feed has the focus
    at_version(page, 2)
    assert [(route.kind, route.from_strip, route.to) for route in now().routes][-1] == ("feed", "lost", "mix")
    choose(page, "lead")
    page.keyboard.press("t")
    expect(page.locator("#panel .trace")).to_have_count(2)
    page.locator(".trace-line").last.click()
    assert {"lead", "hall", "mix", "out"} <= lit(page)
    page.keyboard.press("Escape")
    choose(page, "lead")
    page.keyboard.press("Shift+T")
    expect(page.locator("#find")).to_have_attribute("placeholder", "Lead → trace to")
    page.keyboard.type("hall")
    page.keyboard.press("Enter")
    expect(page.locator("#panel .trace")).to_have_count(1)


CHOSEN = re.compile(r"\bchosen\b")


def test_findings_are_walked_through_and_lit(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    expect(page.locator("[data-poll]")).to_have_count(0)  # what follows stands under its matters
    rows = page.locator("#panel .matter")
    count = rows.count()
    assert count > 1
    page.keyboard.press("n")
    expect(rows.nth(0)).to_have_class(CHOSEN)
    first = address(page)
    assert first.startswith("finding=")
    assert lit(page)
    page.keyboard.press("n")
    expect(rows.nth(1)).to_have_class(CHOSEN)
    assert address(page) != first
    page.keyboard.press("Shift+N")
    page.keyboard.press("Shift+N")
    expect(rows.nth(count - 1)).to_have_class(CHOSEN)
    page.reload()
    page.wait_for_selector("body[data-ready]")
    expect(rows.nth(count - 1)).to_have_class(CHOSEN)
    rows.nth(count - 1).locator(".finding-line").first.click()
    assert (address(page), lit(page)) == ("", set())


def test_sections_fold_and_the_whole_sheet_fits(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.keyboard.press("f")
    fold = page.locator('#sheet-holder [data-id="fold:voices"]')
    expect(fold).to_have_count(1)
    assert chosen(page) == {"fold:voices"}  # the strip is in it
    fold.focus()
    page.keyboard.press("Space")
    expect(box(page, "lead")).to_have_count(1)
    before = sheet_place(page)
    page.keyboard.press("+")
    assert sheet_place(page)["width"] > before["width"]
    page.keyboard.press("-")
    assert abs(sheet_place(page)["width"] - before["width"]) < 1
    page.keyboard.press("0")
    whole, view = sheet_place(page), rect_of(page.locator("#viewport"))
    assert whole["width"] <= view["width"]
    assert whole["height"] <= view["height"]
    page.keyboard.press("p")
    expect(page.locator(".map-place")).to_have_class("map-place wide")
    page.keyboard.press("p")
    expect(page.locator(".map-place")).to_have_class("map-place")


def test_edits_by_key_are_undone_and_redone_by_key(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.keyboard.press("m")
    at_version(page, 2)
    assert now().strips[0].mute
    page.keyboard.press("Control+z")
    at_version(page, 3)
    assert not now().strips[0].mute
    page.keyboard.press("Control+Shift+Z")
    at_version(page, 4)
    assert now().strips[0].mute
    choose(page, "lost")
    page.keyboard.press("Delete")
    at_version(page, 5)
    assert "lost" not in {strip.id for strip in now().strips}
    assert address(page) == ""
    page.keyboard.press("Control+z")
    at_version(page, 6)
    page.keyboard.press("Control+y")
    at_version(page, 7)
    page.keyboard.press("a")
    expect(page.locator("#add-names")).to_be_focused()


def test_keys_are_letters_while_somebody_types(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.fill("#s-name", "")
    page.keyboard.type("constant mfy?")
    assert page.locator("#s-name").input_value() == "constant mfy?"
    expect(page.locator("#help")).to_be_hidden()
    page.keyboard.press("Escape")
    assert page.locator("#state").get_attribute("data-version") == "1"
    box(page, "hall").focus()
    page.keyboard.press("?")
    expect(page.locator("#help")).to_be_visible()
    page.keyboard.press("m")  # a dialog is open: nothing else listens
    page.keyboard.press("Escape")
    expect(page.locator("#help")).to_be_hidden()


def test_keys_pressed_before_the_scripts_stand_wait_for_them(page: Page, on_map: Opener, intercepted: None) -> None:
    stored = on_map(BAND, "?strip=lead")
    held: list[Route] = []
    page.route("**/js/map.js", lambda route: held.append(route))  # noqa: PLW0108 - a method of a list is refused
    page.goto(f"/t/{stored.pk}/map/?strip=lead", wait_until="commit")
    page.wait_for_selector("#sheet-holder .box")
    assert page.locator("body[data-ready]").count() == 0
    page.keyboard.press("c")
    page.wait_for_timeout(50)
    assert page.locator("#find-list:visible").count() == 0
    for route in held:
        route.continue_()
    expect(page.locator("#find")).to_have_attribute("placeholder", re.compile("Lead"))


def test_a_key_made_by_the_chooser_leaves_at_the_tap_chosen(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lost")
    page.keyboard.press("c")
    page.locator("#find").fill("Voices")
    page.keyboard.press("Enter")
    page.locator("#chooser-tap").select_option("pre-fader")
    page.locator('#chooser [data-kind="key"]').click()
    at_version(page, 2)
    (key,) = [route for route in now().routes if route.kind == "key"]
    assert (key.from_strip, key.to_insert, key.tap) == ("lost", "duck", "pre-fader")


def test_marks_keep_their_number_while_the_page_stands(page: Page, on_map: Opener) -> None:
    """Consequences of an issue arrive late, and an edit resolves one: the others keep their numbers."""
    on_map(night_ferry.in_work())
    first = page.evaluate(NUMBERED)
    expect(page.locator("[data-poll]")).to_have_count(0)
    later = page.evaluate(NUMBERED)
    both = first.keys() & later.keys()
    assert len(both) > 3
    assert {key: later[key] for key in both} == {key: first[key] for key in both}
    page.locator("#panel .matter button[data-write]:visible").first.click()
    at_version(page, 2)
    page.mouse.move(640, 10)  # a list in use stays as it is
    expect(page.locator("[data-poll]")).to_have_count(0)
    last = page.evaluate(NUMBERED)
    both = first.keys() & last.keys()
    assert len(both) > 2
    assert {key: last[key] for key in both} == {key: first[key] for key in both}
    assert len(set(last.values())) == len(last)


NUMBERED = "() => Object.fromEntries([...document.querySelectorAll('[data-no]')].map((one) => [one.dataset.no, one.textContent.trim()]))"
