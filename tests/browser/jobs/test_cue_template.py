"""Job 7: a finished cue template gets its mix, master, phones, prints, spare slots and sync pop."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener
from tests.build import template

NAMES = ("Strings", "Brass", "Winds", "Keys", "Rhythm")
SECTIONS = [name.lower() for name in NAMES]
CUE = template(
    [
        *({"id": f"{s}-{n}", "name": f"{s.title()} {n}", "kind": "audio", "layout": "stereo", "section": s,
           "source": {"peak_dbfs": -18, "rms_dbfs": -30}} for s in SECTIONS for n in (1, 2)),
        *({"id": f"{s}-bus", "name": f"{s.title()} long", "kind": "bus", "layout": "stereo", "section": s} for s in SECTIONS),
        {"id": "out", "name": "Out", "kind": "output", "layout": "stereo", "io": [1, 2]},
    ],
    [*(f"{s}-{n}>{s}-bus" for s in SECTIONS for n in (1, 2)), *(f"{s}-bus>out" for s in SECTIONS)],
    sections=[{"id": s, "name": s.title(), "bus": f"{s}-bus", "colour": f"#30{n}080"} for n, s in enumerate(SECTIONS)],
)  # fmt: skip
ROWS = "\n".join(
    [
        "name\tsection\tkind\tlayout\tto\tsends\tinserts\ttags",
        "Mix\t\tbus\tstereo\tMaster",
        "Master\t\tmaster\tstereo\tOut; Phones\t\tlimiter ceiling -1",
        "Phones\t\toutput\tstereo\t\t\tlimiter ceiling -1",
        "Sync pop\t\taudio\tmono\t-\t\t\tpop",
        *(f"{name} spare {n}\t{name}\tinstrument\tstereo\t\t\t\tspare" for name in NAMES for n in (1, 2)),
        *(f"{name} spare track\t{name}\taudio\tstereo\t\t\t\tspare" for name in NAMES),
    ]
)


def test_a_cue_template_is_made_ready(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(CUE))
    hand.paste(ROWS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 19 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    # all section buses from the output into the mix, and delivered as stems
    hand.click('#sheet-holder [data-id="strings-bus"]')
    for section in SECTIONS[1:]:
        hand.click(f'#sheet-holder [data-id="{section}-bus"]', modifiers=["Shift"])
    hand.key("c")
    hand.find("Mix")
    writes(hand, lambda: hand.click("#chooser [data-instead]"))
    hand.action("Deliver as…")
    hand.click(".action-form button")
    writes(hand, lambda: hand.click("#do-it"))
    # mix and master are printed
    hand.click('#sheet-holder [data-id="mix"]')
    hand.click('#sheet-holder [data-id="master"]', modifiers=["Shift"])
    hand.action("Deliver as…")
    hand.pick("#bulk-role", value="mix")
    hand.click(".action-form button")
    writes(hand, lambda: hand.click("#do-it"))
    hand.key("Escape")
    # the pop is in each stem and print once
    writes(hand, lambda: hand.click(page.get_by_role("button", name="Feed directly into the 7 prints without it")))
    assert [finding.message for finding in hand.findings("blocker", "warning")] == []
    pops = [route for route in hand.routes() if route.startswith("feed sync-pop>")]
    assert len(pops) == 7
    pop = next(strip for strip in hand.template.strips if strip.id == "sync-pop")
    assert pop.source.peak_dbfs == -20.0  # type: ignore[union-attr]
    levels = {route.to: route.gain_db for route in hand.template.routes if route.from_strip == "master"}
    assert levels["phones"] == 0.0
    assert sum("spare" in strip.tags for strip in hand.template.strips) == 15
    counted(hand, "7 mix, master, phones, prints, pop", 35)
