"""Job 10: two sides of backgrounds that alternate, and a third made of them."""

from __future__ import annotations

from playwright.sync_api import Page

from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener
from tests.build import template

ROWS = (*(f"Side A mono {n}" for n in range(1, 5)), *(f"Side A stereo {n}" for n in range(1, 4)))


def test_a_side_becomes_three(page: Page, on_map: Opener) -> None:
    stored = on_map(
        template(
            [{"id": "mix", "name": "Mix", "kind": "master", "layout": "5.1"}, {"id": "out", "name": "Out", "kind": "output", "layout": "5.1", "io": [1, 2, 3, 4, 5, 6]}],
            ["mix>out"],
        )
    )  # fmt: skip
    hand = Hand(page, stored)
    hand.key("a")
    page.wait_for_selector("#add-names")
    lines = ["Name\tSection\tLayout\tPeak\tRMS"]
    lines += [f"{name}\tSide A\t{'mono' if 'mono' in name else 'stereo'}\t-15\t-30" for name in ROWS]
    hand.fill("#add-names", "\n".join(lines))
    hand.click("#add-buses")
    page.wait_for_selector("#rows-read table")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    hand.click('#sheet-holder .band[data-section="side-a"]')
    page.wait_for_selector("#sec-names")
    hand.fill("#sec-names", "Side B, Side C")
    writes(hand, lambda: hand.click(page.locator("form", has=page.locator("#sec-names")).locator("button")))
    hand.click(".places >> text=Settings")
    page.wait_for_selector("body[data-ready]")
    a, b, late = (section.id for section in hand.template.sections)
    for side in (a, b):
        hand.click(f'.choice-of-sections input[value="{side}"]')
    hand.fill("#choice-name", "Sides")
    writes(hand, lambda: hand.click(".choice-of-sections button"))
    made = hand.template
    assert made.choices[0].members == (f"section:{a}", f"section:{b}")
    by_section = {side: [strip for strip in made.strips if strip.section == side] for side in (a, b, late)}
    shapes = [[(strip.kind, strip.layout) for strip in strips] for strips in by_section.values()]
    assert shapes[0] == shapes[1] == shapes[2]
    assert [strip.name for strip in by_section[b]][:2] == ["Side B mono 1", "Side B mono 2"]
    levels, index = hand.space.analysis.levels, hand.space.graph.index
    into_mix = levels.stages[index["mix"]][0].levels.p
    buses = [levels.post[index[section.bus or ""]] for section in made.sections]
    alone = [stage.levels.p[0] * stage.peak_gain for stage in buses if stage is not None]
    assert len(alone) == 3
    assert max(into_mix) < sum(alone)  # two of three at a time
    assert hand.findings("blocker", "warning") == []
    counted(hand, "10 backgrounds that alternate", 14)
