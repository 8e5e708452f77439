"""Fit shows the whole sheet: title block and legend too, at any size of window."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page

from lattice.generate import generate
from lattice.model.document import Template
from tests.browser.test_main_job import Opener
from web.shelf.demo import night_ferry

INSIDE = """names => {
  const view = document.getElementById("viewport").getBoundingClientRect();
  return names.map(name => document.querySelector(name).getBoundingClientRect())
    .every(one => one.left >= view.left && one.right <= view.right && one.top >= view.top && one.bottom <= view.bottom);
}"""


@pytest.mark.parametrize("size", [(1280, 800), (1000, 600), (1920, 1080)])
@pytest.mark.parametrize("made", [night_ferry.in_work(), generate(300)], ids=["demo", "300 strips"])
def test_fit_shows_title_block_and_legend(page: Page, on_map: Opener, size: tuple[int, int], made: Template) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    on_map(made)
    page.click("[data-do=fit]")
    assert page.evaluate(INSIDE, ["#title-block", ".legend", "#sheet .box"])


def test_the_first_view_of_the_demo_shows_all_of_it(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.in_work())
    assert page.evaluate(INSIDE, ["#title-block", ".legend", "#sheet .box"])
