"""Job 2: a beat kit whose drums duck bass and music."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.edits import apply_steps
from lattice.matters.effect import State
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener

SENDS = "Room@-12; Plate@-14; Slap@-16; Quarter@-14 automated"
ROWS = "\n".join(
    [
        "name\tsection\tkind\tto\tsends\tinserts\ttags",
        *(f"{name} bus\t{name}\tbus\tMaster" for name in ("Drums", "Bass", "Music", "Leads", "Effects")),
        *(f"{name}\tBass" for name in ("Sub", "Bass", "Growl")),
        *(f"Music {n}\tMusic" for n in range(1, 6)),
        f"Lead 1\tLeads\t\t\t{SENDS}",
        f"Lead 2\tLeads\t\t\t{SENDS}",
        *(f"Effect {n}\tEffects" for n in range(1, 5)),
        "Room\t\treturn\tMaster\t\treverb low-cut 250",
        "Plate\t\treturn\tMaster\t\treverb low-cut 250",
        "Slap\t\treturn\tMaster\t\tdelay delay 110 feedback 25% low-cut 250",
        "Quarter\t\treturn\tMaster\t\tdelay delay 500 feedback 40% low-cut 250",
        "Trigger\t\tbus\t-\t\t\ttrigger",
        "Master\t\tmaster\tOut 1-2\t\tlimiter ceiling -1",
    ]
)
PARTS = "Kick\nSnare\nHat closed\nHat open\nCrash\nRide\nSplash\nLoop"


def test_a_beat_kit_with_duckers(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(Template(name="Beats")))
    hand.paste(ROWS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 25 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    # the drum instrument: a part, an outlet and a strip for each sound
    hand.key("a")
    hand.fill("#set-name", "Drum machine")
    hand.fill("#set-names", PARTS)
    hand.pick("#set-section", label="Drums")
    writes(hand, lambda: hand.click("#panel >> text=Add instrument"))
    # the kick alone feeds the trigger
    hand.click('#sheet-holder [data-id="kick"]')
    page.wait_for_selector("#panel [data-strip='kick']")
    hand.key("c")
    hand.find("Trigger")
    writes(hand, lambda: hand.click("#chooser-feed"))
    # three strips are ducked by it
    hand.click('#sheet-holder [data-id="sub"]')
    hand.click('#sheet-holder [data-id="bass-bus"]', modifiers=["Shift"])
    hand.click('#sheet-holder [data-id="music-bus"]', modifiers=["Shift"])
    expect(page.locator("#panel h2")).to_contain_text("3")
    hand.action("Duck by…")
    hand.pick("#bulk-duck", label="Trigger")
    hand.click(".action-form button")
    writes(hand, lambda: hand.click("#do-it"))
    assert hand.findings("blocker", "warning") == []
    keys = [route for route in hand.routes() if route.startswith("key")]
    assert sorted(keys) == ["key trigger>bass-bus", "key trigger>music-bus", "key trigger>sub"]
    ridden = [route for route in hand.template.routes if route.automated]
    assert {route.to for route in ridden} == {"quarter"}
    counted(hand, "2 beat kit with duckers", 40)
    # not counted: the keys are disabled, then the trigger is fed to the master
    keys = [route.id for route in hand.template.routes if route.kind == "key"]
    off = [EditStep("change_route", {"route": key, "changes": {"enabled": False}}) for key in keys]
    silenced = State(apply_steps(hand.template, off))
    asleep = [one.strips[0] for one in silenced.open.values() if one.code == "key.unfed"]
    assert asleep == ["bass-bus", "music-bus", "sub"]
    hand.click('#sheet-holder [data-id="trigger"]')
    page.wait_for_selector("#panel [data-strip='trigger']")
    hand.key("c")
    hand.find("Master")
    writes(hand, lambda: hand.click("#chooser-feed"))
    assert [finding.code for finding in hand.findings("blocker")] == ["route.trigger-heard"]
