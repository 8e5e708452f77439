"""Job 4: picture dialogue into a panner of twenty inputs and six outputs."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.model.document import Template
from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener

GROUPS = ("Dialogue", "Ambience", "Steps", "Music")
ROWS = "\n".join(
    [
        "name\tsection\tkind\tlayout\tto\tinserts\ttags",
        *(f"{group} {n}\t{group}\taudio\tmono\tField" for group in GROUPS for n in range(1, 5)),
        "Guide\t\taudio\tmono\tField\t\tguide",
        "Field\t\tbus\t20\tMaster\tpanner out 5.1",
        "Master\t\tmaster\t5.1\tOut 1-6\tlimiter ceiling -2",
    ]
)


def test_dialogue_lands_on_its_inputs(page: Page, on_map: Opener) -> None:
    stored = on_map(Template(name="Picture", frame_rate="25"))
    hand = Hand(page, stored)
    hand.paste(ROWS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 19 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    assert {finding.code for finding in hand.findings("warning", "blocker")} >= {"route.channels-doubled"}
    # the guide on input 3
    hand.click('#sheet-holder [data-id="guide"]')
    page.wait_for_selector("#panel [data-strip='guide']")
    hand.key("c")
    hand.find("Field")
    hand.fill("#chooser-first", "3")
    writes(hand, lambda: hand.click("#chooser [data-instead]"))
    # the sixteen numbered on past it
    for group in GROUPS:
        hand.click(
            f'#sheet-holder .band[data-section="{group.lower()}"]', modifiers=["Shift"], position={"x": 3, "y": 3}
        )
    hand.key("c")
    hand.find("Field")
    hand.fill("#chooser-first", "1")
    writes(hand, lambda: hand.click("#chooser [data-instead]"))
    landing = {route.from_strip: route.channels[0][1] for route in hand.template.routes if route.channels}
    assert landing["guide"] == 3
    assert [landing[strip.id] for strip in hand.template.strips if strip.section] == [1, 2, *range(4, 18)]
    assert not [finding for finding in hand.findings() if finding.code.startswith("route.channels")]
    counted(hand, "4 picture dialogue into a 5.1 panner", 18)
    page.goto(f"/t/{stored.pk}/ports/?strip=field")
    taken = page.locator("#inputs-field [data-state=taken]")
    expect(taken).to_have_count(17)
    expect(page.locator("#inputs-field [data-state=free]")).to_have_count(3)
