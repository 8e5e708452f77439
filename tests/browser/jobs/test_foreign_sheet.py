"""Job 8: a spreadsheet with other heads and words, routed by bus names."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from lattice.model.document import Template
from tests.browser.jobs.hand import Hand, counted, writes
from tests.browser.test_main_job import Opener

FAMILIES = ("Drums", "Bass", "Keys", "Voices")
ROWS = "\n".join(
    [
        "Track,Type,Format,Input,Output,Send A,Send A level,Comments",
        *(
            f"{family} {n},{'instrument' if family == 'Keys' else 'audio track'},{'Stereo' if family == 'Keys' else 'Mono'},,"
            f"{family} bus,{'Hall bus' if n % 2 else ''},{-10 - n if n % 2 else ''},take {n}"
            for family in FAMILIES
            for n in range(1, 9)
        ),
        *(f"{family},aux,Stereo,{family} bus,Mix bus,,," for family in FAMILIES),
        "Hall,aux,Stereo,Hall bus,Mix bus,,,",
        "Mix,aux,Stereo,Mix bus,Out 1-2,,,",
        "Click,audio track,Mono,,Out 3,,,for the players",
        "Mix take,audio track,Stereo,Mix bus,,,,",
    ]
)


def test_a_foreign_spreadsheet_is_routed_as_it_says(page: Page, on_map: Opener) -> None:
    hand = Hand(page, on_map(Template(name="Foreign")))
    hand.paste(ROWS)
    expect(page.locator("#rows-read")).to_contain_text("Read as 40 strips")
    writes(hand, lambda: hand.click("#panel button:has-text('Add strips')"))
    counted(hand, "8 a foreign spreadsheet", 5)
    made = hand.template
    names = {strip.id: strip.name for strip in made.strips}
    assert len(set(ROWS.splitlines()[1:])) == 40
    assert {line.partition(",")[0] for line in ROWS.splitlines()[1:]} <= set(names.values())
    ways = {(route.kind, names[route.from_strip], names[route.to]): route.gain_db for route in made.routes}
    wanted = {("feed", f"{family} {n}", family): 0.0 for family in FAMILIES for n in range(1, 9)}
    wanted |= {("send", f"{family} {n}", "Hall"): -10.0 - n for family in FAMILIES for n in range(1, 9, 2)}
    for source in (*FAMILIES, "Hall"):  # both the mix and its take listen to the mix bus
        wanted |= {("feed", source, "Mix"): 0.0, ("feed", source, "Mix take"): 0.0}
    wanted |= {("feed", "Mix", "Out 1–2"): 0.0, ("feed", "Click", "Out 3"): 0.0}
    assert ways == wanted
    kinds = {strip.name: strip.kind for strip in made.strips}
    assert (kinds["Drums"], kinds["Hall"], kinds["Mix take"], kinds["Keys 1"]) == (
        "bus",
        "return",
        "print",
        "instrument",
    )
    assert {strip.note for strip in made.strips if strip.name == "Bass 2"} == {"take 2"}
