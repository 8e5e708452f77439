"""The grid of crosspoints: walked, ranged, typed into, dragged over, folded and filtered."""

from __future__ import annotations

import pytest
from playwright.sync_api import Locator, Page, expect

from lattice.generate import generate
from tests.browser.gestures import BAND, address, rect_of
from tests.browser.test_main_job import Opener, at_version, now


@pytest.fixture
def grid(page: Page, on_map: Opener) -> Page:
    stored = on_map(BAND)
    page.goto(f"/t/{stored.pk}/crosspoints/")
    page.wait_for_selector("body[data-ready]")
    return page


def cell(page: Page, row: str, column: str) -> Locator:
    """A cell by the names at its head."""
    names = page.locator("thead th[data-col] .turn > span:last-child").all_inner_texts()
    line = page.locator("tbody tr[data-line]", has=page.locator("th", has_text=row))
    return line.first.locator("td").nth(names.index(column))


def here(page: Page) -> str:
    return page.locator("#grid-here").inner_text()


def marked(page: Page) -> int:
    return page.locator("#grid td.range").count()


def test_heads_cells_and_counts_say_what_there_is(grid: Page) -> None:
    assert grid.locator("#grid-size").inner_text() == "9 sources, 4 destinations, 7 crosspoints"
    assert grid.locator("thead .group").all_inner_texts() == ["Buses", "Returns", "Mix", "Outputs"]
    assert cell(grid, "Lead", "Voices").inner_text() == "●"
    assert cell(grid, "Lead", "Hall").inner_text() == "−12"
    assert cell(grid, "Lost", "Mix").inner_text() == ""
    assert grid.locator("tr.section button").all_inner_texts() == ["▾ Voices 3", "▾ Keys 3", "▾ No section 3"]


def test_keys_walk_over_the_cells_and_stop_at_the_edges(grid: Page) -> None:
    cell(grid, "Lead", "Voices").click()
    assert here(grid) == "Lead → Voices: feed post-fader"
    assert address(grid) == "strip=lead"
    for key, expected in (
        ("ArrowRight", "Lead → Hall: send −12 dB post-fader"),
        ("End", "Lead → Out: not connected"),
        ("ArrowRight", "Lead → Out: not connected"),
        ("ArrowDown", "Double → Out: not connected"),
        ("Home", "Double → Voices: feed post-fader"),
        ("ArrowLeft", "Double → Voices: feed post-fader"),
        ("PageDown", "Lost → Voices: not connected"),
        ("PageUp", "Lead → Voices: feed post-fader"),
        ("ArrowUp", "Lead → Voices: feed post-fader"),
    ):
        grid.keyboard.press(key)
        assert here(grid) == expected, key
    assert grid.locator('#grid td[tabindex="0"]').count() == 1
    expect(cell(grid, "Lead", "Voices")).to_be_focused()


def test_a_range_is_put_levelled_and_taken_in_one_step_each(grid: Page) -> None:
    cell(grid, "Lead", "Mix").click()
    grid.keyboard.press("Shift+ArrowDown")
    grid.keyboard.press("Shift+ArrowRight")
    assert marked(grid) == 4
    grid.keyboard.press("Escape")
    assert marked(grid) == 0
    cell(grid, "Lead", "Mix").click()
    cell(grid, "Double", "Mix").click(modifiers=["Shift"])
    assert marked(grid) == 2
    grid.select_option("#put-kind", "send")
    cell(grid, "Lead", "Mix").click()
    cell(grid, "Double", "Mix").click(modifiers=["Shift"])
    grid.keyboard.press("Space")
    at_version(grid, 2)
    assert [(route.kind, route.from_strip) for route in now().routes if route.to == "mix"][-2:] == [
        ("send", "lead"),
        ("send", "double"),
    ]
    grid.keyboard.type("-4,5")
    assert here(grid) == "Double → Mix: -4,5 dB, Enter to set"
    grid.keyboard.press("Backspace")
    assert here(grid) == "Double → Mix: -4, dB, Enter to set"
    grid.keyboard.type("5")
    grid.keyboard.press("Enter")
    at_version(grid, 3)
    assert [route.gain_db for route in now().routes if route.to == "mix" and route.kind == "send"] == [-4.5, -4.5]
    expect(cell(grid, "Lead", "Mix")).to_have_text("−4.5")
    grid.keyboard.press("Delete")
    at_version(grid, 4)
    assert not [route for route in now().routes if route.to == "mix" and route.kind == "send"]
    grid.keyboard.press("Control+z")
    at_version(grid, 5)
    expect(cell(grid, "Double", "Mix")).to_have_text("−4.5")


def test_space_takes_only_where_every_cell_of_the_range_has_a_route(grid: Page) -> None:
    cell(grid, "Lead", "Voices").click()
    grid.keyboard.press("Shift+ArrowRight")
    grid.keyboard.press("Space")
    at_version(grid, 2)
    assert not [route for route in now().routes if route.from_strip == "lead"]
    grid.keyboard.press("Control+z")
    at_version(grid, 3)
    cell(grid, "Double", "Voices").click()
    grid.keyboard.press("Shift+ArrowRight")
    grid.keyboard.press("Space")
    at_version(grid, 4)
    assert {route.to for route in now().routes if route.from_strip == "double"} == {"voices-bus", "hall"}


def test_the_pointer_drags_a_range_and_a_double_click_toggles(grid: Page) -> None:
    one, other = rect_of(cell(grid, "Lead", "Mix")), rect_of(cell(grid, "Voices", "Out"))
    grid.mouse.move(one["x"] + 5, one["y"] + 5)
    grid.mouse.down()
    grid.mouse.move(other["x"] + 5, other["y"] + 5, steps=6)
    grid.mouse.up()
    assert marked(grid) == 6
    grid.mouse.move(one["x"] + 5, one["y"] + 60)
    assert marked(grid) == 6  # let go
    cell(grid, "Lost", "Mix").dblclick()
    at_version(grid, 2)
    assert (now().routes[-1].from_strip, now().routes[-1].to) == ("lost", "mix")


def test_rows_fold_by_section_and_are_filtered_by_name(grid: Page) -> None:
    grid.click("tr.section button >> nth=0")
    assert grid.locator("tbody tr[data-line]").count() == 6
    assert grid.locator("tr.section button").first.get_attribute("aria-expanded") == "false"
    cell(grid, "Synth", "Mix").click()
    grid.keyboard.press("f")
    assert grid.locator("tbody tr[data-line]").count() == 3
    for command, rows in (("Expand all rows", 9), ("Collapse all rows", 0), ("Expand all rows", 9)):
        grid.fill("#find", command)
        grid.keyboard.press("Enter")
        expect(grid.locator("tbody tr[data-line]")).to_have_count(rows)
    grid.fill("#grid-filter", "DOUB")
    assert grid.locator("tbody tr[data-line] th").all_text_contents() == ["Double"]
    assert grid.locator("tr.section").count() == 0
    grid.fill("#find", "lost")
    grid.keyboard.press("Enter")
    expect(grid.locator("#grid-filter")).to_have_value("")
    assert here(grid).startswith("Lost → ")
    grid.reload()
    grid.wait_for_selector("body[data-ready]")
    assert here(grid).startswith("Lost → ")


def test_outlets_keys_notes_and_ties_have_grids_of_their_own(grid: Page) -> None:
    base = grid.url.partition("?")[0]
    for kind, row, column, text in (
        ("sound", "Synth 2", "Mix", ""),
        ("key", "Lost", "Voices: Duck", ""),
        ("midi", "Notes", "Synth", "1·all"),
    ):
        grid.goto(f"{base}?kind={kind}")
        grid.wait_for_selector("body[data-ready]")
        assert cell(grid, row, column).inner_text() == text, kind
    grid.goto(f"{base}?kind=key")
    grid.wait_for_selector("body[data-ready]")
    cell(grid, "Lost", "Voices: Duck").dblclick()
    at_version(grid, 2)
    expect(cell(grid, "Lost", "Voices: Duck")).to_have_text("◆")
    grid.goto(f"{base}?kind=tie")
    grid.wait_for_selector("body[data-ready]")
    expect(grid.locator("#grid")).to_contain_text("Nothing of this kind can be connected yet.")


def test_a_large_template_opens_folded(page: Page, on_map: Opener) -> None:
    stored = on_map(generate(500))
    page.goto(f"/t/{stored.pk}/crosspoints/")
    page.wait_for_selector("body[data-ready]")
    assert page.locator("tbody tr[data-line]").count() == 0
    page.locator("tr.section button").first.click()
    assert page.locator("tbody tr[data-line]").count() > 5
