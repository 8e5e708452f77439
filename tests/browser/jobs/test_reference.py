"""Job 3: a reference beside a submix, which is removed later."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.model.document import Template
from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener

ROWS = "\n".join(
    [
        "name\tsection\tkind\tto\tsends\tinserts\ttags",
        *(
            f"{name} bus\t{name}\tbus\t{'Submix' if name == 'Voices' else 'Music'}"
            for name in ("Drums", "Bass", "Keys", "Voices")
        ),
        *(f"{name} track\t{name}\t\t\tHall@-14; Echo@-18" for name in ("Drums", "Bass", "Keys", "Voices")),
        "Music\t\tbus\tSubmix",
        "Submix\t\tbus\tMaster\t\teq; compressor threshold -12 ratio 2 = Glue",
        "Hall\t\treturn\tSubmix\t\treverb low-cut 250",
        "Echo\t\treturn\tSubmix\t\tdelay delay 500 feedback 30% low-cut 250",
        "Reference\t\taudio\tMaster\t\t\treference",
        "Master\t\tmaster\tOut 1-2\t\tlimiter ceiling -1",
    ]
)


def test_a_reference_stays_clean_when_the_submix_goes(page: Page, on_map: Opener) -> None:
    stored = on_map(Template(name="Reference"))
    hand = Hand(page, stored)
    hand.paste(ROWS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 14 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    # The master's limiter works on the reference too: a mistake of this very template.
    assert [finding.code for finding in hand.findings("blocker", "warning")] == ["reference.processed"]
    # the rule that keeps it off the submix
    hand.click(".places >> text=Stems")
    page.wait_for_selector("body[data-ready]")
    hand.fill("#nr-name", "Clean reference")
    hand.pick("#nr-kind", value="avoids")
    hand.pick("#nr-sources", value="tag:reference")
    hand.pick("#nr-through", value="strip:submix")
    writes(hand, lambda: hand.click(".rule-form >> text=Add rule"))
    assert hand.template.rules[0].through == ("strip:submix",)
    assert hand.findings("blocker") == []
    # later: the submix is removed, its inserts are on the master
    hand.click(".places >> text=Map")
    page.wait_for_selector("body[data-ready]")
    hand.click('#sheet-holder [data-id="submix"]')
    hand.click("#panel >> text=More…")
    hand.action("Remove bus, keep its strips routed…")
    hand.click(".action-form button")
    writes(hand, lambda: hand.click("#do-it"))
    master = next(strip for strip in hand.template.strips if strip.id == "master")
    assert [insert.type for insert in master.inserts] == ["eq", "compressor", "limiter"]
    assert sorted(r for r in hand.routes() if r.endswith(">master")) == [
        "feed echo>master", "feed hall>master", "feed music>master", "feed reference>master", "feed voices-bus>master",
    ]  # fmt: skip
    assert [r for r in hand.routes() if r.split()[1].startswith("reference>")] == ["feed reference>master"]
    counted(hand, "3 reference beside a submix", 20)
