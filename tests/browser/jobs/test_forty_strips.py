"""Job 12: forty strips changed in the table: names, sections, destinations and sends from a spreadsheet."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener
from tests.build import template

SECTIONS = {"Drums": "drums", "Low": "low", "Chords": "chords", "Voices": "voices"}
MADE = template(
    [
        *({"id": f"t{n}", "name": f"Track {n}", "kind": "audio"} for n in range(40)),
        *({"id": bus, "name": f"{name} bus", "kind": "bus", "section": bus} for name, bus in SECTIONS.items()),
        {"id": "room", "name": "Room", "kind": "return"}, {"id": "hall", "name": "Hall", "kind": "return"},
        {"id": "mix", "name": "Mix", "kind": "master"}, {"id": "out", "name": "Main out", "kind": "output", "io": [1, 2]},
    ],
    [
        *(f"t{n}>mix" for n in range(40)), *(f"{bus}>mix" for bus in SECTIONS.values()),
        "room>mix", "hall>mix", "send t0>room -12", "send t1>hall -12", "mix>out",
    ],
    sections=[{"id": bus, "name": name, "bus": bus} for name, bus in SECTIONS.items()],
)  # fmt: skip


def sheet() -> list[tuple[str, str, str, str]]:
    """Name, section, destination and sends of forty rows, as a spreadsheet has them."""
    names = list(SECTIONS)
    return [
        (f"{names[n // 10]} {n % 10 + 1}", names[n // 10], f"{names[n // 10]} bus", "Room@-12" if n % 2 else "Hall@-9; Room@-14")
        for n in range(40)
    ]  # fmt: skip


def test_forty_strips_are_changed_in_the_table(page: Page, on_map: Opener) -> None:
    stored = on_map(MADE)
    hand = Hand(page, stored)
    hand.click(".places >> text=Strips")
    page.wait_for_selector("body[data-ready]")
    page.goto(f"{page.url}?columns=name,section,to,sends")  # the columns as they were left last time
    page.wait_for_selector("body[data-ready]")
    hand.click('[role=row][data-row="0"] [data-col="0"]')
    hand.paste("\n".join("\t".join(row) for row in sheet()))
    expect(page.locator("#panel h2")).to_have_text("160 cells of 40 strips")
    writes(hand, lambda: hand.click("#do-it"))
    made = hand.template
    sections = {section.id: section.name for section in made.sections}
    names = {strip.id: strip.name for strip in made.strips}
    for strip, (name, section, to, sends) in zip(made.strips, sheet(), strict=False):
        leaving = [route for route in made.routes if route.from_strip == strip.id]
        assert (strip.name, sections[strip.section or ""]) == (name, section)
        assert [names[route.to] for route in leaving if route.kind == "feed"] == [to]
        sent = [f"{names[route.to]}@{route.gain_db:g}" for route in leaving if route.kind == "send"]
        assert sorted(sent) == sorted(sends.split("; "))
    counted(hand, "12 forty strips in the table", 6)
