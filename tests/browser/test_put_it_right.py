"""Issues and the plan in a real browser: continued lists, expanded rows, selection, one edit, undo."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from lattice.generate import generate
from lattice.model.document import Template
from tests.browser.test_main_job import Opener, at_version, now
from tests.build import template
from web.editor.matters import MOST_ROWS
from web.shelf.demo import night_ferry

NOTED = {"id": "x0", "name": "Audio 1", "kind": "audio"}
LOST = template(
    [NOTED, *(f"a:x{number}" for number in range(1, 230)), "o:out"],
    ["x0>out", *(f"x{number}>out disabled" for number in range(1, 230))],
)


def ready(page: Page, address: str) -> None:
    page.goto(address)
    page.wait_for_selector("body[data-ready]")


@pytest.mark.parametrize("place", ["map", "findings"])
def test_a_long_list_goes_on_as_one_scrolls(page: Page, on_map: Opener, place: str) -> None:
    made = LOST if place == "findings" else generate(300, worn=True)
    stored = on_map(made)
    ready(page, f"/t/{stored.pk}/{place}/")
    rows = page.locator("#matters > .matter")
    assert rows.count() <= MOST_ROWS
    if place == "findings":
        assert rows.count() == MOST_ROWS
        for count in (200, 229):
            page.locator("#matters > li").last.scroll_into_view_if_needed()
            expect(rows).to_have_count(count)
    fold = page.locator(".notes-fold").first
    fold.locator("summary").click()
    expect(fold.locator(".matter").first).to_be_visible()


def test_findings_are_narrowed_by_what_is_pressed_and_the_address_keeps_it(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    ready(page, f"/t/{stored.pk}/findings/")
    whole = page.locator("#matters > .matter").count()
    page.locator(".bar", has_text="Stems").click()
    page.wait_for_selector("body[data-ready]")
    stems = page.locator("#matters > .matter").count()
    assert 0 < stems < whole
    page.fill("#narrow-words", "hall")
    page.keyboard.press("Enter")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#matters > .matter")).to_have_count(1)
    assert re.search(r"q=hall.*family=Stems", page.url)
    page.reload()
    expect(page.locator("#matters > .matter")).to_have_count(1)


def test_the_routes_a_remedy_changes_are_lit_while_the_pointer_is_on_it(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.in_work())
    expect(page.locator("[data-poll]")).to_have_count(0)
    button = page.get_by_role("button", name="Disable the send from Effects to Long echo").first
    button.hover()
    expect(page.locator("#overlay .shown")).to_have_count(1)
    page.mouse.move(300, 790)
    expect(page.locator("#overlay .shown")).to_have_count(0)


def test_an_edit_leaves_open_what_is_open_and_where_one_looks(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.in_work())
    expect(page.locator("[data-poll]")).to_have_count(0)
    row = page.locator(".matter", has_text="Ropes and chains is in Mix 5.1")
    row.locator(".finding-line").first.click()
    expect(row.locator(".matter-more .finding").first).to_be_visible()
    page.mouse.move(300, 790)
    sheet = page.locator("#sheet").element_handle()
    gangway = page.locator(".matter", has_text="Gangway doors reaches no output, print or stem")
    gangway.locator("text=Feed to Effects").click()
    expect(gangway).to_have_count(0)
    expect(row.locator(".matter-more")).to_be_visible()
    assert page.locator("#sheet").element_handle().evaluate("(now, before) => now === before", sheet)
    page.reload()  # the page after the answer equals a fresh one
    page.wait_for_selector("body[data-ready]")
    expect(row).to_have_class(re.compile(r"\bopen\b"))


def test_what_is_ticked_is_done_as_one_edit_and_undone(page: Page, on_map: Opener) -> None:
    made: Template = template(
        ["a:kick", "a:hat", "a:bass", "b:drums mute", "b:low mute", "o:out"],
        ["kick>drums", "hat>drums", "bass>low", "drums>out", "low>out"],
    )
    stored = on_map(made)
    page.click("#panel >> text=Repair plan")
    page.click("text=Build plan")
    steps = page.locator(".plan-steps [name=step]")
    expect(steps).to_have_count(2)
    expect(page.locator("#plan-outcome")).to_contain_text("With 2 steps")
    steps.nth(1).uncheck()
    expect(page.locator("#plan-outcome")).to_contain_text("With 1 step")
    page.click("text=Apply selected")
    expect(page.locator("#plan-body")).to_contain_text("Applied: 1 step, as one edit")
    assert [strip.mute for strip in now().strips[3:5]].count(True) == 1
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("Control+z")
    expect(page.locator("#plan-body")).to_contain_text("of an older version")
    assert now() == made
    at_version(page, 3)
    assert stored.pk


def test_changes_that_arrive_during_the_application_of_a_plan_cancel_nothing(page: Page, on_map: Opener) -> None:
    on_map(template(["a:kick", "b:drums mute", "o:out"], ["kick>drums", "drums>out"]))
    page.click("#panel >> text=Repair plan")
    page.click("text=Build plan")
    expect(page.locator("#plan-outcome")).to_contain_text("With 1 step")
    # As the poll for other edits, which sees the new version before its page is there.
    page.evaluate(
        """() => addEventListener("beforeunload",
            () => setTimeout(() => document.dispatchEvent(new Event("lattice:changed"))), {once: true})"""
    )
    page.click("text=Apply selected")
    expect(page.locator("#plan-body")).to_contain_text("Applied: 1 step, as one edit")
