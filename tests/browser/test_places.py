"""The places beside the map: strip sheet, ports, keys, quick-open; by pointer and by keyboard."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.model.document import Template
from tests.browser.gestures import rect_of
from tests.browser.test_main_job import Opener, at_version, choose, now
from tests.build import template
from web.shelf.demo import night_ferry

CHAIN = template(
    [
        {"id": "lead", "name": "Lead", "kind": "audio", "inserts": [{"id": f"i{n}", "name": f"Stage {n}", "type": "eq"} for n in range(4)]},
        {"id": "hall", "name": "Hall", "kind": "return"}, {"id": "out", "name": "Out", "kind": "output"},
    ],
    ["lead>out", "hall>out"],
)  # fmt: skip


def order() -> list[str]:
    return [insert.id for insert in now().strips[0].inserts]


def on_sheet(page: Page, on_map: Opener, made: Template, strip: str) -> None:
    stored = on_map(made)
    page.goto(f"/t/{stored.pk}/strips/?strip={strip}")
    page.wait_for_selector("body[data-ready]")


def test_inserts_are_ordered_by_dragging_and_by_keyboard(page: Page, on_map: Opener) -> None:
    on_sheet(page, on_map, CHAIN, "lead")
    grips = page.locator(".grip")
    start, end = rect_of(grips.nth(0)), rect_of(page.locator(".rung.insert").nth(2))
    page.mouse.move(start["x"] + 5, start["y"] + 8)
    page.mouse.down()
    page.mouse.move(end["x"] + 300, end["y"] + end["height"] - 6, steps=8)
    page.mouse.up()
    at_version(page, 2)
    assert order() == ["i1", "i2", "i0", "i3"]
    grips.nth(3).focus()
    page.keyboard.press("ArrowUp")
    at_version(page, 3)
    assert order() == ["i1", "i2", "i3", "i0"]
    page.keyboard.press("Control+z")
    at_version(page, 4)
    assert order() == ["i1", "i2", "i0", "i3"]


def test_fields_of_the_sheet_take_units_as_people_type_them(page: Page, on_map: Opener) -> None:
    on_sheet(page, on_map, CHAIN, "lead")
    page.fill("#l-i0", "1.3 ms")
    page.keyboard.press("Tab")
    at_version(page, 2)
    expect(page.locator("#l-i0")).to_have_value("62")
    page.locator(".more summary").first.click()
    page.fill("#lc-i0", "1.5 kHz")
    page.keyboard.press("Enter")
    at_version(page, 3)
    expect(page.locator("#more-i0")).to_have_attribute("open", "")
    page.fill("#f-fader", "much")
    page.keyboard.press("Tab")
    expect(page.locator("#notice")).to_contain_text("“much” is not a level")
    assert now().strips[0].inserts[0].low_cut_hz == 1500


def test_a_strip_is_connected_from_its_sheet_by_keyboard(page: Page, on_map: Opener) -> None:
    on_sheet(page, on_map, CHAIN, "lead")
    page.keyboard.press("c")
    page.keyboard.type("hall")
    page.wait_for_selector("#find-list [role=option]")  # the strips have come
    page.keyboard.press("Enter")
    page.click("#chooser [data-kind=send]")
    at_version(page, 2)
    expect(page.locator(".rung.post .lead-row")).to_have_count(2)
    assert (now().routes[-1].kind, now().routes[-1].gain_db) == ("send", -10.0)


def test_quick_open_finds_strips_and_commands_in_every_place(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    page.keyboard.press("/")
    page.keyboard.type("collapse all")
    page.keyboard.press("Enter")
    expect(page.locator("#sheet-holder .k-fold")).to_have_count(6)
    page.keyboard.press("/")
    page.keyboard.type("go to side")
    page.keyboard.press("Enter")
    page.wait_for_selector("h1:has-text('Side-chains')")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("/")
    page.keyboard.type("duck")
    page.keyboard.press("Enter")
    expect(page.locator("tr.chosen-row").first).to_be_visible()
    page.keyboard.press("o")
    page.wait_for_selector("h1:has-text('Duck trigger')")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("?")
    expect(page.locator("#help")).to_be_visible()


def test_the_selection_reaches_keys_ports_and_the_strip_sheet(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    choose(page, "glass-sampler")
    page.click("nav >> text=Ports")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("section.instrument.chosen-row h3")).to_contain_text("Glass sampler")
    page.locator("section.instrument >> text=Choir player").first.click()
    page.click("nav >> text=Strip")
    page.wait_for_selector("h1:has-text('Choir player')")


def test_channels_are_assigned_in_sequence_from_a_cell_of_the_board(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.clean())
    page.goto(f"/t/{stored.pk}/ports/")
    page.wait_for_selector("body[data-ready]")
    choir = page.locator("section.instrument", has_text="Choir player")
    choir.locator('[data-cell="2.5"]').click()
    choir.locator("text=Number MIDI strips").click()
    at_version(page, 2)
    players = [
        (route.port, route.channel) for route in now().routes if route.to == "choir-player" and route.kind == "midi"
    ]
    assert players == [(2, channel) for channel in range(5, 11)]
    page.locator('input[aria-label="Name of input 3 of Main computer"]').fill("Old synth left")
    page.keyboard.press("Tab")
    at_version(page, 3)
    assert now().machines[0].input_names["3"] == "Old synth left"


def test_sixteen_parts_from_nothing_in_four_gestures(page: Page, on_map: Opener) -> None:
    """Issue B: at most five interactions."""
    on_map(Template(name="Fresh"))
    page.keyboard.press("a")  # one
    page.wait_for_selector("#set-names")
    page.fill("#set-names", "\n".join(f"Drum {n}" for n in range(1, 17)))  # two: paste
    page.click("#panel button:has-text('Add instrument')")  # three
    at_version(page, 2)
    expect(page.locator("#sheet-holder .k-audio")).to_have_count(16)
    assert sum(route.to == "instrument-bus" for route in now().routes) == 17


def test_forty_eight_names_to_midi_strips_in_four_gestures(page: Page, on_map: Opener) -> None:
    on_map(Template(name="Fresh"))
    page.keyboard.press("a")  # one
    page.wait_for_selector("#set-names")
    page.fill("#set-names", "\n".join(f"Voice {n}" for n in range(48)))  # two: paste
    page.select_option("#set-as", "midi")  # three
    page.click("#panel button:has-text('Add instrument')")  # four
    at_version(page, 2)
    assert [route.port for route in now().routes if route.kind == "midi"] == [1] * 16 + [2] * 16 + [3] * 16


def test_several_chosen_strips_stay_chosen_when_the_address_is_loaded_again(page: Page, on_map: Opener) -> None:
    """Also the result of every bulk step, and *on the map* of a comparison."""
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    stored = on_map(CHAIN)
    page.goto(f"/t/{stored.pk}/map/?strips=lead hall")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#panel h2")).to_have_text("2 strips selected")
    expect(page.locator(".box.chosen")).to_have_count(2)
    page.keyboard.press("/")
    expect(page.locator("#find")).to_be_focused()
    assert faults == []


def test_an_empty_sheet_says_what_to_do_and_nothing_lies_under_it(page: Page, on_map: Opener) -> None:
    on_map(Template(name="Empty"))
    words = rect_of(page.locator(".empty.over"))
    for text in page.locator("svg.sheet text").all():
        box = text.bounding_box()
        assert box is None or box["x"] > words["x"] + words["width"] or box["y"] > words["y"] + words["height"]
