"""Import, as for the first time."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.test_main_job import Opener
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

MOST = 5  # interactions, from the shelf to the map


def test_the_sample_workbook_is_on_the_map_in_five_interactions(page: Page, on_map: Opener) -> None:
    page.goto("/")
    done = 0
    page.get_by_role("link", name="Import").first.click()
    done += 1
    page.click("#try-sample")
    done += 1
    expect(page.locator(".unclear tr")).to_have_count(3)
    expect(page.locator(".bring-matters")).to_contain_text("Shoreline south reaches no output, print or stem")
    page.select_option("[data-field='answer:destinations/shorline bus']", label="use Shoreline bus")
    done += 1
    expect(page.locator(".bring-matters")).not_to_contain_text("Shoreline south reaches no output, print or stem")
    page.select_option("[data-field='answer:words/kind/spot']", label="audio")
    done += 1
    expect(page.locator("#bring-keep")).to_contain_text("Import without 1 cell")
    page.click("#bring-keep .act")
    done += 1
    page.wait_for_selector("body[data-ready]")
    print(f"first-time path: {done} interactions, goal {MOST}")
    assert done <= MOST
    made = workspace(StoredTemplate.objects.latest("pk")).template
    assert (len(made.strips), len(made.routes)) == (41, 60)
    assert not [
        one for one in workspace(StoredTemplate.objects.latest("pk")).audit.findings if one.severity == "blocker"
    ]


def test_what_is_typed_last_is_kept_too(page: Page) -> None:
    page.goto("/import/")
    page.fill("#id_text", "Track,Level\nKick,loud\n")
    page.click("text=Preview")
    page.fill("[data-field='answer:cells/2/fader_db']", "-6")
    page.click("#bring-keep .act")
    page.wait_for_selector("body[data-ready]")
    assert workspace(StoredTemplate.objects.latest("pk")).template.strips[0].fader_db == -6.0
