"""Job 1: a template of buses, made before its tracks."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.model.document import Template
from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener

SECTIONS = ("Drums", "Bass", "Plucked", "Keys", "Strings", "Brass", "Winds", "Lead", "Choir", "Noises")
TRACKS = "\n".join(f"{name} {n}\t{name}" for at, name in enumerate(SECTIONS) for n in range(1, 4 if at < 4 else 3))
BUSES = "\n".join(
    [
        "name\tsection\tkind\tto\tinserts\trecords",
        *(
            f"{name} bus\t{name}\tbus\t{'Instruments' if n < 7 else 'Mix'}\teq; compressor"
            for n, name in enumerate(SECTIONS)
        ),
        "Instruments\t\tbus\tMix\teq; compressor",
        "Mix\t\tbus\tOpen print\teq; compressor",
        "Open print\t\tprint\tHeld print\t",
        "Held print\t\tprint\tOut 1-2\tlimiter ceiling -1\tpre",
    ]
)


def test_a_template_of_buses_and_then_its_tracks(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(Template(name="Buses")))
    hand.paste(BUSES)
    expect(page.locator("#rows-read")).to_contain_text("Read as 14 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    made = hand.template
    assert [strip.layout for strip in made.strips] == ["stereo"] * 15
    assert len({section.colour for section in made.sections}) == 10
    assert [finding.message for finding in hand.findings()] == [
        "12 buses have no source yet", "25 inserts have no stated latency; the total leaves them out",
    ]  # fmt: skip
    assert {finding.severity for finding in hand.findings()} == {"note"}
    writes(hand, lambda: hand.click("#panel >> text=Keep all for later"))
    assert [finding.code for finding in hand.findings()] == ["latency.unstated"]  # nothing is open
    hand.paste(TRACKS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 24 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    buses = {section.id: section.bus for section in hand.template.sections}
    fed = {route.from_strip: route.to for route in hand.template.routes}
    tracks = [strip for strip in hand.template.strips if strip.kind == "audio"]
    assert len(tracks) == 24
    assert all(fed[strip.id] == buses[strip.section or ""] for strip in tracks)
    # Every track is at an assumed level: 24 of those would be too much for a print, and one line says so.
    assert hand.findings("blocker", "warning") == []
    assert {one.code for one in hand.findings() if one.standing == "assumed"} >= {"level.over"}
    counted(hand, "1 bus template", 18)
