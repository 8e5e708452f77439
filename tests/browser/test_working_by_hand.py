"""Fast manual work: ranking, replacing, suggestions, Escape, kinds of routes, solo as a preview."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import BAND, chosen, lit, middle
from tests.browser.jobs.hand import Hand, writes
from tests.browser.test_main_job import Opener, at_version, choose, now
from tests.build import template

STRINGS = template(
    [
        {"id": "p1", "name": "Violins 1 player", "kind": "bus"}, {"id": "in-mix", "name": "Mix of violins", "kind": "bus"},
        {"id": "i1", "name": "Violins 1 in", "kind": "bus"}, {"id": "v", "name": "Viola", "kind": "audio"},
        {"id": "o", "name": "Out", "kind": "output", "io": [1]}, {"id": "n", "name": "Notes", "kind": "midi"},
    ],
    ["v>p1"],
)  # fmt: skip
RANKED = [
    ("violins 1 in", "Violins 1 in"), ("violins 1", "Violins 1 player"), ("mix", "Mix of violins"),
    ("viol of", "Mix of violins"), ("olins", "Violins 1 player"), ("i1", "Violins 1 in"),
]  # fmt: skip


def found(page: Page) -> list[str]:
    return page.locator("#find-list li span:first-child").all_inner_texts()


@pytest.mark.parametrize(("typed", "first"), RANKED, ids=[case[0] for case in RANKED])
def test_the_finder_ranks_by_how_names_begin(page: Page, on_map: Opener, typed: str, first: str) -> None:
    on_map(STRINGS)
    page.keyboard.press("/")
    page.keyboard.type(typed)
    expect(page.locator("#find-list li").first).to_contain_text(first)
    assert "Viola" not in found(page) or not typed.startswith("i")  # an id is never searched in part


def test_only_what_may_be_connected_is_offered_buses_first(page: Page, on_map: Opener) -> None:
    on_map(STRINGS)
    choose(page, "v")
    page.keyboard.press("c")
    expect(page.locator("#find-list li").first).to_be_visible()
    assert found(page) == ["Violins 1 player", "Mix of violins", "Violins 1 in", "Out"]


def test_a_destination_replaces_the_one_there_or_comes_beside_it(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(STRINGS))
    choose(page, "v")
    page.keyboard.press("c")
    hand.find("Mix of")
    expect(page.locator("#chooser-now")).to_have_text("It goes to Violins 1 player now")
    writes(hand, lambda: page.keyboard.press("Enter"))  # the first button is the likelier
    assert hand.routes() == ["feed v>in-mix"]
    page.keyboard.press("c")
    hand.find("Violins 1 in")
    writes(hand, lambda: page.click("#chooser-feed"))
    assert hand.routes() == ["feed v>in-mix", "feed v>i1"]
    writes(hand, lambda: page.click("#undo"))
    assert hand.routes() == ["feed v>in-mix"]


def test_several_go_one_each_from_a_strip_on(page: Page, on_map: Opener) -> None:
    strips = [
        {"id": f"{letter}{n}", "name": f"{letter} {n}", "kind": kind}
        for letter, kind in (("a", "audio"), ("b", "bus"))
        for n in (1, 2)
    ]
    hand = Hand(page, on_map(template([*strips, "o:out"], ["b1>out", "b2>out"])))
    hand.click('#sheet-holder [data-id="a1"]')
    hand.click('#sheet-holder [data-id="a2"]', modifiers=["Shift"])
    assert chosen(page) == {"a1", "a2"}
    page.keyboard.press("c")
    hand.find("b 1")
    page.check("#chooser-pairwise")
    writes(hand, lambda: page.click("#chooser-feed"))
    assert hand.routes()[-2:] == ["feed a1>b1", "feed a2>b2"]


def test_escape_leaves_a_field_and_tab_takes_what_it_suggests(page: Page, on_map: Opener) -> None:
    verb = [{"id": "verb", "type": "reverb", "name": "Plate"}]
    stored = on_map(
        template(
            ["a:x", {"id": "r", "name": "Plate", "kind": "return", "inserts": verb}, "o:out"], ["send x>r", "r>out"]
        )
    )
    page.goto(f"/t/{stored.pk}/strips/?strip=r")
    page.wait_for_selector("body[data-ready]")
    page.fill("#f-name", "Nonsense")
    page.keyboard.press("Escape")
    expect(page.locator("#f-name")).to_have_value("Plate")
    page.click("#more-verb summary")
    field = page.locator("#lc-verb")
    expect(field).to_have_attribute("placeholder", "250")
    field.focus()
    page.keyboard.press("Tab")
    at_version(page, 2)
    strip = next(strip for strip in now().strips if strip.id == "r")
    assert (strip.name, strip.inserts[0].low_cut_hz) == ("Plate", 250.0)


def test_channels_and_riding_of_a_route_on_the_strip_sheet(page: Page, on_map: Opener) -> None:
    wide = {"id": "wide", "name": "Wide", "kind": "bus", "layout": "discrete:8"}
    stored = on_map(
        template([{"id": "lead", "kind": "audio"}, wide, "o:out"], ["lead>out", "send lead>wide -9", "wide>out"])
    )
    choose(page, "lead")
    page.click("#t-automated-r2")
    at_version(page, 2)
    page.goto(f"/t/{stored.pk}/strips/?strip=lead")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#rch-r1")).to_have_count(0)  # from one channel to one there is nothing to choose
    send = now().routes[1]
    page.fill(f"#rch-{send.id}", "1:2")
    page.keyboard.press("Enter")
    at_version(page, 3)
    made = next(route for route in now().routes if route.id == send.id)
    assert (made.automated, made.channels) == (True, ((1, 2),))
    page.fill(f"#rch-{send.id}", "1-2")
    page.keyboard.press("Enter")
    expect(page.locator("#notice")).to_contain_text("is not a list of channel pairs")


def test_a_kind_in_the_legend_alone_hidden_and_all_again(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    kinds = page.locator("#lines > g:visible")
    everything = kinds.count()
    page.mouse.click(*middle(page, '.legend[data-kind="send"]'))
    expect(page.locator("#sheet")).to_have_attribute("data-only", "send")
    assert page.locator("#lines .l.feed:visible").count() == 0
    page.mouse.click(*middle(page, '.legend[data-kind="send"]'))
    expect(kinds).to_have_count(everything)
    page.locator('.legend[data-kind="midi"]').focus()
    page.keyboard.press("Shift+Enter")
    assert page.locator("#lines .l.midi:visible").count() == 0
    assert page.locator("#lines .l.feed:visible").count() > 0


def test_what_would_still_sound_is_asked_and_shown(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    choose(page, "lead")
    page.keyboard.press("l")
    expect(page.locator("#solo")).to_contain_text("Still reaches")
    assert lit(page) == {"lead", "voices-bus", "hall", "mix", "out"}
    assert now() == BAND  # a question
    page.keyboard.press("Escape")
    expect(page.locator("#matters")).to_be_visible()


def test_what_is_chosen_in_the_form_is_remembered_and_a_paste_opens_it(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(BAND))
    hand.key("a")
    hand.fill("#add-names", "Alto")
    hand.fill("#add-section", "Voices")
    hand.fill("#add-sends", "Hall -9")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    hand.paste("Tenor\nBass")
    expect(page.locator("#rows-read")).to_contain_text("Read as 2 strips")
    expect(page.locator("#add-section")).to_have_value("Voices")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    assert hand.routes()[-2:] == ["feed bass>voices-bus", "send bass>hall"]


def test_kinds_read_from_names_are_changed_for_all_alike_and_for_one(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(BAND))
    hand.paste("Drum bus\nGuitar bus\nHall reverb\nPlate reverb")
    expect(page.locator("#rows-read")).to_contain_text("2 bus")
    hand.pick("#alike-1", label="audio")
    expect(page.locator("#rows-read")).to_contain_text("2 audio")
    hand.pick("#role-3", label="bus")
    expect(page.locator("#rows-read")).to_contain_text("1 return")
    expect(page.locator("#alike-1")).to_have_value("bus=audio")  # the first choice stays
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    kinds = {strip.name: strip.kind for strip in hand.template.strips}
    assert [kinds[name] for name in ("Drum bus", "Guitar bus", "Hall reverb", "Plate reverb")] == [
        "audio", "audio", "bus", "return",
    ]  # fmt: skip


def test_rows_pasted_on_strips_go_to_the_form_on_the_map(page: Page, on_map: Opener) -> None:
    stored = on_map(BAND)
    page.goto(f"/t/{stored.pk}/strips/")
    page.wait_for_selector("body[data-ready]")
    Hand(page, stored).paste("Drum bus\nPrint drums")
    expect(page.locator("#rows-read")).to_contain_text("Read as 2 strips")
    assert "/map/?open=add" in page.url
    page.reload()
    expect(page.locator("#add-names")).to_have_value("")


def test_the_edge_of_a_section_with_shift_chooses_all_of_it(page: Page, on_map: Opener) -> None:
    on_map(BAND)
    for section in ("voices", "keys"):
        page.click(f'#sheet-holder .band[data-section="{section}"]', modifiers=["Shift"], position={"x": 3, "y": 3})
    expect(page.locator("#panel h2")).to_have_text("5 strips selected")
    assert chosen(page) == {"lead", "double", "voices-bus", "notes", "synth"}


def test_a_route_opens_to_its_channel_pairs_in_the_crosspoints(page: Page, on_map: Opener) -> None:
    wide = {"id": "wide", "name": "Wide", "kind": "bus", "layout": "discrete:4"}
    stored = on_map(
        template([{"id": "lead", "kind": "audio", "layout": "stereo"}, wide, "o:out"], ["lead>wide", "wide>out"])
    )
    page.goto(f"/t/{stored.pk}/crosspoints/?strip=lead")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("Tab")
    page.locator('td[tabindex="0"]').focus()
    page.keyboard.press("Enter")
    boxes = page.locator("#channels input")
    expect(boxes).to_have_count(8)
    assert [box.get_attribute("value") for box in boxes.all() if box.is_checked()] == ["1:1", "2:2"]
    page.uncheck("#channels input[value='1:1']")
    page.check("#channels input[value='1:4']")
    page.click("text=Set these pairs")
    at_version(page, 2)
    assert now().routes[0].channels == ((1, 4), (2, 2))
    page.locator('td[tabindex="0"]').focus()
    page.keyboard.press("Enter")
    page.click("text=As the layouts map")
    at_version(page, 3)
    assert now().routes[0].channels is None
