"""The table of strips: walked and typed into by keyboard, copied and pasted, filled, sorted, narrowed, selected."""

from __future__ import annotations

import pytest
from playwright.sync_api import Locator, Page, expect

from lattice.generate import generate
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from tests.browser.jobs.hand import Hand, writes
from tests.browser.test_main_job import Opener, at_version
from tests.build import template
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

MADE = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio", "section": "drums", "inserts": [{"id": "cut", "name": "Low cut", "type": "eq"}]},
        {"id": "snare", "name": "Snare", "kind": "audio", "section": "drums", "mute": True}, {"id": "bass", "name": "Bass", "kind": "audio"},
        {"id": "drums", "name": "Drums", "kind": "bus", "section": "drums"}, {"id": "room", "name": "Room", "kind": "return"},
        {"id": "mix", "name": "Mix", "kind": "master"}, {"id": "out", "name": "Main out", "kind": "output", "io": [1, 2]},
    ],
    ["kick>drums", "snare>drums", "bass>mix", "send kick>room -12", "room>mix", "drums>mix", "mix>out"],
    sections=[{"id": "drums", "name": "Drums", "bus": "drums"}],
)  # fmt: skip
COLUMNS = "name,kind,section,to,sends,inserts,fader,state,likely"


@pytest.fixture
def hand(page: Page, on_map: Opener) -> Hand:
    stored = on_map(MADE)
    return at_table(Hand(page, stored))


def at_table(hand: Hand, query: str = f"?columns={COLUMNS}") -> Hand:
    hand.page.goto(f"/t/{hand.pk}/strips/{query}")
    hand.page.wait_for_selector("body[data-ready]")
    return hand


def head(page: Page, column: str) -> Locator:
    return page.locator('[role="columnheader"]').filter(has_text=column).first


def cell(page: Page, strip: str, column: str) -> Locator:
    """A cell by the name of its strip and its head."""
    row = page.locator('#table [role="row"][data-row]:not([hidden])').filter(
        has=page.locator('[data-col="0"]', has_text=strip)
    )
    return row.first.locator(f'[data-col="{head(page, column).get_attribute("data-col")}"]')


def names(page: Page) -> list[str]:
    rows = page.locator('#table [role="row"][data-row]:not([hidden])').all()
    return [row.locator('[data-col="0"]').inner_text() for row in sorted(rows, key=_number)]


def _number(row: Locator) -> int:
    return int(row.get_attribute("data-row") or 0)


def of(made: Template, strip: str):  # type: ignore[no-untyped-def]
    return next(one for one in made.strips if one.id == strip)


def test_it_is_a_grid_with_one_focus_stop(hand: Hand) -> None:
    grid = hand.page.get_by_role("grid", name="Strips")
    expect(grid).to_have_attribute("aria-rowcount", "8")
    expect(grid).to_have_attribute("aria-colcount", "10")
    assert grid.locator('[tabindex="0"]').count() == 1
    assert cell(hand.page, "Kick", "Likely peak").get_attribute("aria-readonly") == "true"
    assert cell(hand.page, "Kick", "Strip").get_attribute("role") == "rowheader"
    assert cell(hand.page, "Kick", "Inserts").inner_text() == "Low cut"
    assert cell(hand.page, "Snare", "State").inner_text() == "muted"


def test_keys_walk_range_and_stop_at_the_edges(hand: Hand) -> None:
    page = hand.page
    cell(page, "Kick", "Strip").click()
    for key, words in (
        ("ArrowDown", "Snare, Strip: Snare"),
        ("ArrowRight", "Snare, Kind: audio"),
        ("End", "Snare, Likely peak, dBFS: ~ −∞"),
        ("ArrowRight", "Snare, Likely peak, dBFS: ~ −∞"),
        ("Home", "Snare, Strip: Snare"),
        ("Control+End", "Main out, Likely peak, dBFS: "),
        ("Control+Home", "Kick, Strip: Kick"),
        ("Shift+ArrowDown", "2 × 1 cells"),
        ("Shift+ArrowRight", "2 × 2 cells"),
        ("Escape", "Snare, Kind: audio"),
    ):
        page.keyboard.press(key)
        expect(page.locator("#cell-here")).to_contain_text(words)
    page.keyboard.press("Control+Home")
    page.keyboard.press("ArrowUp")
    assert page.evaluate("document.activeElement.getAttribute('role')") == "columnheader"


def test_typing_changes_a_cell_escape_leaves_it_tab_goes_on(hand: Hand) -> None:
    page = hand.page
    cell(page, "Kick", "Fader").click()
    page.keyboard.type("-7")
    page.keyboard.press("Escape")
    expect(cell(page, "Kick", "Fader")).to_have_text("0")
    page.keyboard.type("-7.5 dB")
    writes(hand, lambda: page.keyboard.press("Enter"))
    assert of(hand.template, "kick").fader_db == -7.5
    expect(cell(page, "Kick", "Fader")).to_have_text("−7.5")
    page.keyboard.type("-3")
    page.keyboard.press("Tab")  # on to the state, which opens
    page.keyboard.type("; armed")
    page.keyboard.press("Enter")
    at_version(page, 4)
    snare = of(hand.template, "snare")
    assert (snare.fader_db, snare.mute, snare.armed) == (-3.0, True, True)


def test_a_destination_is_completed_and_keeps_its_level(hand: Hand) -> None:
    page = hand.page
    cell(page, "Bass", "Sends").click()
    page.keyboard.type("ro@-9")
    expect(page.locator("#cell-list")).to_have_text("Room")
    writes(hand, lambda: page.keyboard.press("Enter"))
    assert "send bass>room" in hand.routes()
    expect(cell(page, "Bass", "Sends")).to_have_text("Room@-9")


def test_a_cell_that_cannot_be_read_opens_again_with_its_sentence(hand: Hand) -> None:
    page = hand.page
    cell(page, "Bass", "Goes to").click()
    page.keyboard.type("nowhere")
    page.keyboard.press("Enter")
    expect(page.locator("#cell-sentence")).to_have_text("Bass, Goes to: strip “nowhere” does not exist")
    expect(page.locator(".cell-input")).to_have_value("nowhere")
    assert hand.version == 1
    page.keyboard.press("Control+a")
    page.keyboard.type("Drums")
    writes(hand, lambda: page.keyboard.press("Enter"))
    assert "feed bass>drums" in hand.routes()
    assert page.locator(".wrong").count() == 0


def test_a_block_of_several_strips_has_a_preview_and_one_undo(hand: Hand) -> None:
    page = hand.page
    cell(page, "Kick", "Sends").click()
    hand.paste("Room@-9\tcompressor ratio 4\t-2\nRoom@-14\t\t-4")
    expect(page.locator("#panel h2")).to_have_text("5 cells of 2 strips")
    expect(cell(page, "Kick", "Fader")).to_have_text("−2")  # as it will be
    assert hand.version == 1
    writes(hand, lambda: page.keyboard.press("Enter"))
    made = hand.template
    assert [of(made, strip).fader_db for strip in ("kick", "snare")] == [-2.0, -4.0]
    assert [insert.type for insert in of(made, "kick").inserts] == ["compressor"]
    assert "send snare>room" in hand.routes()
    expect(page.locator("#panel")).to_be_hidden()
    page.locator("#undo").click()
    at_version(page, 3)
    assert hand.template == MADE


def test_cancel_of_a_preview_puts_the_cells_back(hand: Hand) -> None:
    page = hand.page
    cell(page, "Kick", "Fader").click()
    hand.paste("-2\n-4")
    page.click("#panel >> text=Cancel")
    expect(cell(page, "Kick", "Fader")).to_have_text("0")
    expect(page.locator("#panel")).to_be_hidden()
    assert hand.version == 1


NOT_PASTED = [
    ("Likely peak", "-3\t-4", "The block is 1 column wider than the table from here."),
    ("Likely peak", "-3", "Likely peak, dBFS is computed"),
    ("Fader", "1\n2\n3\n4\n5\n6\n7\n8", "The block is 1 row longer than the table from here."),
    ("Goes to", "Drumz\nMixx", "strip “Drumz” does not exist"),
]


@pytest.mark.parametrize(("column", "text", "sentence"), NOT_PASTED)
def test_a_block_that_does_not_fit_says_why(hand: Hand, column: str, text: str, sentence: str) -> None:
    cell(hand.page, "Kick", column).click()
    hand.paste(text)
    expect(hand.page.locator("#notice")).to_contain_text(sentence)
    assert (hand.version, hand.template) == (1, MADE)
    expect(hand.page.locator("#table .waiting")).to_have_count(0)


def test_cells_of_a_strip_that_somebody_has_removed(hand: Hand, person) -> None:  # type: ignore[no-untyped-def]
    page = hand.page
    cell(page, "Snare", "Fader").click()
    page.keyboard.type("-3")
    services.edit(hand.pk, person, 1, "Remove Snare", [EditStep("remove_strips", {"strips": ["snare"]})])
    page.keyboard.press("Enter")
    expect(page.locator("#notice, #cell-sentence").first).to_contain_text("Snare")
    assert [strip.id for strip in hand.template.strips] == [s.id for s in MADE.strips if s.id != "snare"]


def test_copy_fill_down_and_empty(hand: Hand) -> None:
    page = hand.page
    cell(page, "Kick", "Goes to").click()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Shift+ArrowDown")
    copied = page.evaluate(
        """() => {
          const data = new DataTransfer();
          document.activeElement.dispatchEvent(new ClipboardEvent("copy", {clipboardData: data, bubbles: true}));
          return data.getData("text/plain");
        }"""
    )
    assert copied == "Drums\tRoom@-12\nDrums\t"
    writes(hand, lambda: page.keyboard.press("Control+d"))
    assert "send snare>room" in hand.routes()
    cell(page, "Kick", "Sends").click()
    writes(hand, lambda: page.keyboard.press("Delete"))
    assert "send kick>room" not in hand.routes()


def test_sort_filters_and_columns_are_in_the_address_and_remembered(hand: Hand) -> None:
    page = hand.page
    head(page, "Strip").click()
    assert names(page) == ["Bass", "Drums", "Kick", "Main out", "Mix", "Room", "Snare"]
    head(page, "Strip").click()
    assert names(page)[0] == "Snare"
    page.select_option("#table-filters [name=section]", "Drums")
    assert names(page) == ["Snare", "Kick", "Drums"]
    page.fill("#strips-words", "audio")
    expect(page.locator("#table-size")).to_contain_text("2 of 7")
    assert "section=Drums" in page.url
    page.reload()
    page.wait_for_selector("body[data-ready]")
    assert names(page) == ["Snare", "Kick"]
    page.click("text=Clear filters")
    expect(page.locator("#table-size")).to_contain_text("7 in this template")
    page.click("#columns-button")
    page.uncheck("#column-section")
    page.check("#column-note")
    page.click("#columns >> text=Close")
    at_table(hand, "")
    assert page.locator('[role="columnheader"]').last.inner_text() == "Note"
    assert head(page, "Section").count() == 0
    assert names(page)[0] == "Snare"  # the sort too


def test_rows_selected_with_space_stand_in_the_address(hand: Hand) -> None:
    page = hand.page
    cell(page, "Kick", "Kind").click()
    page.keyboard.press("Space")
    expect(page.locator("#panel h2")).to_have_text("1 strip selected")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Space")
    expect(page.locator("#panel h2")).to_have_text("2 strips selected")
    page.reload()
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#panel h2")).to_have_text("2 strips selected")
    assert page.locator('#table [role="row"][aria-selected="true"]').count() == 2
    cell(page, "Bass", "Strip").click()
    page.keyboard.press("Escape")
    expect(page.locator("#panel")).to_be_hidden()


def test_rows_pasted_outside_the_table_are_new_strips_on_the_map(hand: Hand) -> None:
    hand.paste("Drum bus\nPrint drums")
    expect(hand.page.locator("#rows-read")).to_contain_text("Read as 2 strips")
    assert "/map/?open=add" in hand.page.url


def test_details_of_the_active_row(hand: Hand) -> None:
    cell(hand.page, "Bass", "Fader").click()
    hand.page.keyboard.press("Alt+Enter")
    hand.page.wait_for_selector(".ladder")
    assert "strip=bass" in hand.page.url


def test_thousands_of_rows_are_few_elements(page: Page, on_map: Opener) -> None:
    stored: StoredTemplate = on_map(generate(1000))
    at_table(Hand(page, stored))
    assert page.locator('#table [role="row"]').count() < 50
    page.locator('#table [role="row"][data-row="0"] [data-col="0"]').click()
    page.keyboard.press("Control+End")
    last = workspace(StoredTemplate.objects.get(pk=stored.pk)).template.strips[-1]
    expect(page.locator("#cell-here")).to_contain_text(last.name)
    assert page.locator('#table [role="row"]:not([hidden])').count() < 50


def test_print_has_every_row(hand: Hand) -> None:
    hand.page.evaluate("dispatchEvent(new Event('beforeprint'))")
    assert hand.page.locator("#printed tbody tr").count() == len(MADE.strips)
    hand.page.evaluate("dispatchEvent(new Event('afterprint'))")
    assert hand.page.locator("#printed").count() == 0
