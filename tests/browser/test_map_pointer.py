"""The map by pointer: panning, zooming, choosing, folding and drawing routes, from the row that was meant."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.gestures import (
    BAND,
    address,
    chosen,
    consequences_arrive,
    holding,
    lit,
    middle,
    rect_of,
    sheet_place,
)
from tests.browser.test_main_job import Opener, at_version, box, choose, drag, frame, now


def test_the_ground_pans_and_the_wheel_pans_and_zooms(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    start = sheet_place(page)
    page.mouse.move(700, 640)
    page.mouse.down()
    page.mouse.move(760, 610, steps=4)
    page.mouse.up()
    panned = sheet_place(page)
    assert (round(panned["x"] - start["x"]), round(panned["y"] - start["y"])) == (60, -30)
    page.mouse.wheel(0, 50)
    assert round(sheet_place(page)["y"] - panned["y"]) == -50
    page.keyboard.down("Shift")
    page.mouse.wheel(0, 40)
    page.keyboard.up("Shift")
    assert round(sheet_place(page)["x"] - panned["x"]) == -40
    before = sheet_place(page)
    page.keyboard.down("Control")
    page.mouse.wheel(0, -100)
    page.keyboard.up("Control")
    zoomed = sheet_place(page)
    assert zoomed["width"] > before["width"]
    # the point under the pointer stays under it
    share = (760 - before["x"]) / before["width"], (760 - zoomed["x"]) / zoomed["width"]
    assert abs(share[0] - share[1]) < 0.002
    page.reload()
    page.wait_for_selector("body[data-ready]")
    assert abs(sheet_place(page)["width"] - zoomed["width"]) < 1


def test_the_sheet_cannot_be_lost_out_of_sight(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    for x, y in ((4000, 0), (-8000, 0), (0, 4000), (0, -8000)):
        page.mouse.move(640, 500)
        page.mouse.wheel(x, y)
        place, view = sheet_place(page), rect_of(page.locator("#viewport"))
        assert place["x"] < view["x"] + view["width"]
        assert place["x"] + place["width"] > view["x"]
        assert place["y"] < view["y"] + view["height"]
        assert place["y"] + place["height"] > view["y"]


def test_a_click_chooses_shift_adds_and_the_ground_lets_go(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    box(page, "hall").click(modifiers=["Shift"])
    expect(page.locator("#panel")).to_contain_text("2 strips selected")
    assert chosen(page) == {"lead", "hall"}
    box(page, "lead").click(modifiers=["Shift"])
    expect(page.locator("#s-name")).to_have_value("Hall")
    page.mouse.click(700, 690)
    expect(page.locator("#panel .finding").first).to_be_visible()
    assert (chosen(page), address(page)) == (set(), "")
    page.locator('#sheet-holder .band[data-section="voices"] text').first.click()
    expect(page.locator("#panel")).to_contain_text("Voices")
    expect(page.locator("#panel button[data-fold-section=voices]")).to_have_count(1)
    page.locator("#panel button[data-fold-section=voices]").click()
    fold = page.locator('#sheet-holder [data-id="fold:voices"]')
    expect(fold).to_have_count(1)
    fold.click()
    expect(fold).to_have_count(0)


def test_the_stream_of_a_box_lights_up_under_the_pointer(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    box(page, "lead").hover()
    assert lit(page) == {"lead", "voices-bus", "hall", "mix", "out"}
    box(page, "synth").hover()
    assert lit(page) == {"notes", "synth", "mix", "out"}
    expect(page.locator("#overlay path.lit")).to_have_count(3)  # corner points load after the page
    page.mouse.move(700, 690)
    assert (lit(page), page.locator("#overlay path").count()) == (set(), 0)


def test_the_line_of_a_new_route_stays_while_an_answer_arrives(page: Page, on_map: Opener) -> None:
    with holding(page, "**/write/follow/") as held:
        on_map(BAND)
    page.mouse.move(*middle(page, '#sheet-holder [data-id="lost"]'))
    page.mouse.down()
    page.mouse.move(700, 690, steps=5)
    consequences_arrive(page, held[0])
    expect(page.locator("[data-poll]")).to_have_count(0)  # the answer is in the page
    assert page.locator("#overlay path.rubber").count() == 1
    page.mouse.up()
    assert page.locator("#overlay path.rubber").count() == 0


def test_the_stream_stays_lit_while_an_answer_arrives(page: Page, on_map: Opener) -> None:
    with holding(page, "**/write/follow/") as held:
        on_map(BAND)
    box(page, "synth").hover()
    consequences_arrive(page, held[0])
    expect(page.locator("[data-poll]")).to_have_count(0)  # the answer is in the page
    assert lit(page) == {"notes", "synth", "mix", "out"}
    page.mouse.move(700, 690)
    assert lit(page) == set()


def test_a_mark_on_a_box_opens_its_finding(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    mark = page.locator("#sheet-holder [data-finding]").first
    fingerprint = mark.get_attribute("data-finding")
    mark.click()
    expect(page.locator(f"#m-{fingerprint}.chosen.open")).to_be_visible()
    assert address(page) == f"finding={fingerprint}"


def test_a_route_is_drawn_from_strip_to_strip(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    drag(page, "lost", "hall")
    expect(page.locator("#chooser")).to_be_visible()
    page.fill("#chooser-gain", "-9")
    page.keyboard.press("Enter")
    at_version(page, 2)
    made = now().routes[-1]
    assert (made.kind, made.from_strip, made.to, made.gain_db) == ("send", "lost", "hall", -9.0)
    drag(page, "lost", "lost")  # onto itself: nothing
    expect(page.locator("#chooser")).to_be_hidden()
    x, y = middle(page, '#sheet-holder [data-id="lost"]')
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(700, 690, steps=5)
    assert page.locator("#overlay path.rubber").count() == 1
    page.mouse.up()  # onto the ground: nothing
    assert page.locator("#overlay path.rubber").count() == 0
    expect(page.locator("#chooser")).to_be_hidden()


def test_a_route_leaves_the_outlet_in_whose_row_it_begins(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    rect = rect_of(box(page, "synth").locator("rect:not(.edge)").first)
    target = rect_of(frame(page, "hall"))
    page.mouse.move(rect["x"] + 40, rect["y"] + rect["height"] * 5 / 6)
    page.mouse.down()
    page.mouse.move(target["x"] + 30, target["y"] + 8, steps=6)
    page.mouse.up()
    assert page.locator("#chooser-from").inner_text() == "Synth 3"
    page.click("#chooser-feed")
    at_version(page, 2)
    made = now().routes[-1]
    assert (made.from_strip, made.from_outlet, made.to) == ("synth", "3", "hall")


def test_what_is_offered_is_what_the_two_ends_allow(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    table = {
        ("lost", "hall"): ["feed", "send"],
        ("lost", "voices-bus"): ["feed", "send", "key"],
        ("notes", "synth"): ["midi"],
    }
    for (start, end), kinds in table.items():
        drag(page, start, end)
        offered = page.locator("#chooser [data-kind]:visible").evaluate_all(
            "buttons => buttons.map(b => b.dataset.kind)"
        )
        assert offered == kinds, (start, end)
        page.keyboard.press("Escape")
        expect(page.locator("#chooser")).to_be_hidden()
    drag(page, "lost", "voices-bus")
    page.click("#chooser [data-kind=key]")
    at_version(page, 2)
    assert now().routes[-1].to_insert == "duck"
