"""The bench in use: a kit, a simulated session, suspects, a correction of the map, playback of the mix."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from lattice.bench.faults import built
from lattice.bench.stand_in import print_files
from tests.core.bench.test_prints import ROOM
from web.bench import services
from web.bench.models import Reading
from web.shelf import services as shelf
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

pytestmark = pytest.mark.usefixtures("at_once")


@pytest.fixture
def room(person) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return shelf.store(person, ROOM)


def test_from_a_kit_to_the_map_put_right(page: Page, room: StoredTemplate) -> None:
    page.goto(f"/t/{room.pk}/map/")
    page.click("nav >> text=Bench")
    page.click("text=Create pilot kit")
    page.click("text=Run simulated session")
    page.select_option("[data-fault-kind]", label="a fader at a different level, dB")
    page.fill("[data-fault-place]", "drums")
    page.fill("[data-fault-value]", "+3")
    page.click("[data-fault-add]")
    page.select_option("[data-fault-kind]", label="a strip with inverted polarity")
    expect(page.locator("[data-fault-value]")).to_be_hidden()
    page.fill("[data-fault-place]", "pair")
    page.click("[data-fault-add]")
    expect(page.locator("[name=faults]")).to_have_value("fader:drums:+3 polarity:pair")
    page.click("button:text-is('Run')")
    expect(page.locator(".as-built")).to_have_count(2)
    expect(page.locator(".as-built-grid")).to_contain_text("kick")
    page.click("text=Update map: drums: fader")
    expect(page.locator("body")).to_contain_text("added to the map")
    made = workspace(StoredTemplate.objects.get(pk=room.pk)).template
    assert next(one for one in made.strips if one.id == "drums").fader_db == pytest.approx(3.0, abs=0.05)
    page.click("text=Add to fix list")
    page.click("text=Fix list")
    expect(page.locator(".as-built")).to_contain_text("pair has inverted polarity")
    page.click("text=Back to reading")
    page.get_by_role("link", name="pair", exact=True).first.click()
    expect(page).to_have_url(f"{page.url.split('/t/')[0]}/t/{room.pk}/map/?strip=pair")


def test_prints_are_chosen_sent_and_read(page: Page, room: StoredTemplate, tmp_path: Path) -> None:
    kit = services.make_kit(room, (), 500.0)
    paths = print_files(ROOM, services.kit_in(kit), built(ROOM, ["mute:snare"]), tmp_path / "made", "16", split=True)
    page.goto(f"/t/{room.pk}/bench/")
    page.click("text=Import prints")
    page.wait_for_url("**/readings/**")
    page.wait_for_selector("body[data-ready]")
    page.set_input_files("#rec-files", paths)
    expect(page.locator("#rec-body tbody tr")).to_have_count(4)
    expect(page.locator("#rec-body")).to_contain_text("every stem has its print")
    page.click("text=Read prints")
    expect(page.locator(".as-built")).to_contain_text("snare is missing from the print of Drums")
    assert not Reading.objects.get().folder.exists()


def test_a_tone_is_seen_on_the_map_and_heard(page: Page, room: StoredTemplate) -> None:
    page.goto(f"/t/{room.pk}/bench/tone/")
    page.fill("#tone-sources", "strip:kick")
    page.fill("#tone-seconds", "0.3")
    page.click("#place-body >> text=Run")
    expect(page.locator("#b-drums.differs")).to_have_count(1)
    expect(page.locator("#b-pair.differs")).to_have_count(0)
    with page.expect_response("**/tone/sound/**") as answer:
        page.locator("[data-hear]").last.click()
    assert answer.value.ok
    page.check("#tone-each")
    page.click("#place-body >> text=Run")
    expect(page.locator("#turns tbody tr")).not_to_have_count(0)
    page.check("#only-differing")
    expect(page.locator("#turns tbody tr:visible")).to_have_count(0)
