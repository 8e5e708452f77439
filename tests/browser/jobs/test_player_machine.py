"""Job 5: one player machine with five sections, tied to the main one."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.model.document import Template
from lattice.tracing import sentence, trace
from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener

FOUR = ("High strings", "Low strings", "Horns", "Reeds")
TIES = "High strings\tHigh strings\nLow strings\tLow strings\nHorns\tHorns\nReeds\tReeds\nSingles\tSingles"
# Continued here: the buses of the sections exist once the machine does.
BUSES = "\n".join(
    [
        "name\tkind\tto",
        "Strings\tbus\tMix",
        "Mix\tbus\tOut 1-2",
    ]
)
PLAYERS = "\n".join(
    [
        "name\tsection\tkind\tmachine\tto\tsends\tmidi\tmidi_in\toutlets\tparts\tlayout\tinserts",
        *(
            f"{name} player\t{name}\tinstrument\tPlayer\tall>{name}\t2>Hall there@-12; 4>Hall there@-12\t\t1: 1-4\t8 stereo\t16\tstereo"
            for name in FOUR
        ),
        *(f"Single {n}\tSingles\tinstrument\tPlayer\tSingles\t\t\t1: {n}\t\t\tstereo" for n in range(1, 6)),
        *(
            f"{name} {how}\t{name}\tmidi\t\t-\t\t{name} player@1.{n}"
            for name in FOUR
            for n, how in enumerate(("long", "soft", "short", "plucked"), 1)
        ),
        *(f"Single {n} notes\tSingles\tmidi\t\t-\t\tSingle {n}@1.{n}" for n in range(1, 6)),
        "Hall there\t\treturn\tPlayer\tHigh strings\t\t\t\t\t\t\treverb low-cut 250",
    ]
)


def test_a_player_machine_with_five_sections(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(Template(name="Players")))
    hand.key("a")
    page.wait_for_selector("#player-name")
    hand.fill("#player-name", "Player")
    hand.fill("#player-names", TIES)
    writes(hand, lambda: hand.click("#panel >> text=Add machine with buses and ties"))
    hand.paste(BUSES)
    expect(page.locator("#rows-read")).to_contain_text("Read as 2 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    # section buses here: strings into their bus, all else into the mix
    for start, end in (("high-strings-bus", "Strings"), ("low-strings-bus", "Strings")):
        hand.click(f'#sheet-holder [data-id="{start}"]')
        page.wait_for_selector(f"#panel [data-strip='{start}']")
        hand.key("c")
        hand.find(end)
        writes(hand, lambda: hand.click("#chooser-feed"))
    hand.click('#sheet-holder [data-id="horns-bus"]')
    for strip in ("reeds-bus", "singles-bus"):
        hand.click(f'#sheet-holder [data-id="{strip}"]', modifiers=["Shift"])
    hand.key("c")
    hand.find("Mix")
    writes(hand, lambda: hand.click("#chooser-feed"))
    hand.paste(PLAYERS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 31 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    assert [
        finding.message for finding in hand.findings("blocker", "warning") if not finding.code.startswith("level")
    ] == []
    counted(hand, "5 one player machine, five sections", 45)
    graph = hand.space.graph
    for strip in hand.template.strips:
        if strip.kind == "midi":
            traced = trace(graph, strip.id)
            words = sentence(graph, traced.paths[0], traced)
            hops = (
                "plays",
                "on port 1, channel",
                "of Player feeds",
                "is tied to",
                "of Main computer",
                "bus",
                "Mix",
                "Out",
            )
            assert all(hop in words for hop in hops), words
