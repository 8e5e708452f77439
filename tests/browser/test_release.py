"""From wrong stems to a signed release, in the browser."""

from __future__ import annotations

import zipfile

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import Page, expect

from lattice.formats.document_json import load
from tests.browser.test_main_job import Opener, at_version, now
from tests.web.test_revisions import tick_all
from web.revisions.models import Revision
from web.shelf.demo import night_ferry

pytestmark = pytest.mark.usefixtures("at_once")


def opened(page: Page, pk: int, place: str) -> None:
    page.goto(f"/t/{pk}/{place}/")
    page.wait_for_selector("body[data-ready]")


def test_a_shared_return_is_split_and_the_ledger_is_whole(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    opened(page, stored.pk, "stems")
    row = page.locator(".ledger tr", has_text="Choir player")
    expect(row.locator(".says")).to_have_text("by Hall, shared")
    row.locator("td.marked a").click()  # a cell leads to its path on the map
    page.wait_for_selector(".trace-line")
    expect(page.locator("#panel")).to_contain_text("sends to Hall, shared at −12.0 dB")
    opened(page, stored.pk, "stems")
    page.locator("text=Add one return per stem").first.click()
    at_version(page, 2)
    expect(row.locator("td.marked")).to_have_count(0)
    page.keyboard.press("Control+z")
    at_version(page, 3)
    expect(row.locator("td.marked")).to_have_count(1)


def test_stems_and_rules_are_edited_where_they_stand(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.clean())
    opened(page, stored.pk, "stems")
    page.select_option("select[aria-label='Tap of Ambience']", "pre-fader")
    at_version(page, 2)
    expect(page.locator("#place-body")).to_contain_text("Ambience print does not match the tap of Ambience")
    page.locator("text=Add rule").first.click()
    at_version(page, 3)
    page.fill("#nr-name", "Beds stay out of the booth")
    page.select_option("#nr-sources", "section:ambience")
    page.select_option("#nr-kind", "isolated")
    page.select_option("#nr-to", "strip:show-mix")
    page.locator("form.rule-form button").click()
    at_version(page, 4)
    broken = page.locator(".rule-row", has_text="Beds stay out of the booth")
    expect(broken).to_contain_text("Shore bed → Ambience → Effects and ambience → Show mix 5.1")
    broken.locator("summary").click()
    broken.locator("[name=sources]").fill("strip:wind")
    broken.locator("[name=sources]").press("Enter")
    at_version(page, 5)
    expect(broken).to_contain_text("Wind must not reach Show mix 5.1")
    broken.locator("text=remove").click()
    at_version(page, 6)
    assert [rule.name for rule in now().rules][-1] != "Beds stay out of the booth"


def test_a_finding_is_waived_with_its_reason_and_taken_back(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    opened(page, stored.pk, "findings")
    row = page.locator(".matter", has_text="No source reaches Foghorn print")
    row.locator(".finding-line").first.click()
    row.locator("summary", has_text="Waive").click()
    row.locator("[name=reason]").fill("comes with the second season")
    row.locator("button:text-is('Waive')").click()
    at_version(page, 2)
    waived = page.locator("tr", has_text="comes with the second season")
    expect(waived).to_contain_text("No source reaches Foghorn print")
    waived.locator("text=remove waiver").click()
    at_version(page, 3)
    expect(waived).to_have_count(0)


def test_sealed_ticked_signed_and_packed(page: Page, on_map: Opener, tmp_path) -> None:  # type: ignore[no-untyped-def]
    stored = on_map(night_ferry.clean())
    opened(page, stored.pk, "revisions")
    page.fill("#seal-note", "Ready for the tour")
    page.click("text=/^Create revision$/")
    expect(page.locator(".gate .open")).to_contain_text("not approved by a second person")
    tick_all(User.objects.create_user("second"), stored)
    page.reload()
    expect(page.locator(".gate .open")).to_have_count(0)
    page.click("text=Sign off revision 1")
    expect(page.locator("#place-body")).to_contain_text("Released, signed off by person")
    expect(page.locator("#crumb")).to_contain_text("revision 1, released")
    page.click("text=Create pack of revision 1")
    with page.expect_download() as download:
        page.click("text=Revision 1, ZIP")
    path = tmp_path / "pack.zip"
    download.value.save_as(path)
    with zipfile.ZipFile(path) as archive:
        name = next(name for name in archive.namelist() if name.endswith("document.json"))
        assert load(archive.read(name)) == night_ferry.clean()
    assert Revision.objects.get().signed_by == "person"


def test_a_difference_is_taken_over_from_a_revision(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.clean())
    opened(page, stored.pk, "revisions")
    page.fill("#seal-note", "Ready")
    page.click("text=/^Create revision$/")
    opened(page, stored.pk, "levels")
    field = page.locator(".inflow input[name=fader_db]").first
    field.fill("-20")
    field.press("Enter")
    page.click("#do-it")
    at_version(page, 2)
    page.goto(f"/t/{stored.pk}/revisions/compare/?from=1")
    expect(page.locator(".differences li")).to_have_count(1)
    page.click("button:text-is('Revert')")
    page.wait_for_selector("text=Side by side")
    assert now() == night_ferry.clean()


def test_an_inventory_comes_from_a_file_and_says_what_is_missing(page: Page, on_map: Opener, tmp_path) -> None:  # type: ignore[no-untyped-def]
    stored = on_map(night_ferry.clean())
    opened(page, stored.pk, "setup")
    expect(page.locator("#place-body")).to_contain_text("No inventories yet")
    path = tmp_path / "house.csv"
    path.write_text("maker,name,version\nTern Audio,Hall,3.0\n")
    page.fill("#iv-name", "The other house")
    page.set_input_files("#iv-file", path)
    expect(page.locator("#iv-text")).to_have_value("maker,name,version\nTern Audio,Hall,3.0\n")
    page.click("#place-body button:text-is('Save')")
    expect(page.locator("#place-body")).to_contain_text("The other house has Tern Audio Hall 3.0; 3.2 is required")
    page.locator("text=Save as inventory").first.click()
    page.click("a:has-text('Main computer')")
    expect(page.locator("#place-body")).to_contain_text("All plug-ins of the template are listed")
