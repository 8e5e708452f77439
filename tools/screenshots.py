"""Takes docs/screenshots again from the demo data: one picture of each main view at 1280 × 800.

Runs the application on a database of its own in a temporary folder, so pictures are the same on any machine.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from served import served

from tests.browser.chromium import launch

ROOT = Path(__file__).resolve().parent.parent
SHOTS = ROOT / "docs" / "screenshots"
ADDRESS = "127.0.0.1:8765"


def settle(page: Page) -> None:
    page.mouse.move(640, 795)
    page.wait_for_timeout(400)
    if page.locator("[data-poll]").count():  # consequences load
        page.locator("[data-poll]").wait_for(state="detached")


def loop(page: Page) -> None:
    settle(page)
    page.locator(".matter", has_text="Feedback loop").locator(".finding-line").first.click()


def opened(page: Page) -> None:
    settle(page)
    page.locator(".matter", has_text="Feedback loop").locator(".finding-line").first.click()
    page.wait_for_selector(".matter-more .findings")


def plan(page: Page) -> None:
    page.click("text=Repair plan")
    page.click("text=Build plan")
    page.wait_for_selector(".plan-steps")


def strip(page: Page) -> None:
    page.click('[data-id="glass-sampler"]')
    page.wait_for_selector("#s-name")


def strip_sheet(page: Page) -> None:
    strip(page)
    page.keyboard.press("o")
    page.wait_for_selector(".ladder")


def what_if(page: Page) -> None:
    page.fill(".inflow tbody tr:first-child input.figure", "-9")
    page.keyboard.press("Enter")
    page.wait_for_selector("#do-it")
    page.evaluate("scrollTo(0, 0)")


def bring(page: Page) -> None:
    page.click("#try-sample")
    page.wait_for_selector(".bring-map svg")


def put_in(page: Page) -> None:
    page.click("text=Podcast kit")
    page.goto(page.url.replace("/map/", "/put/"))
    page.click("text=Glass and tide")
    page.wait_for_selector(".bring-map svg")


def bench(page: Page) -> None:
    page.click('a:text-is("Night Ferry, clean revision")')
    page.click("nav >> text=Bench")
    page.click("text=Open reading")
    page.wait_for_selector(".as-built")


VIEWS: list[tuple[str, str, str, Callable[[Page], None] | None]] = [
    ("map-paper", "/demo/", "light", None),
    ("map-dark", "/demo/", "dark", loop),
    ("strip-sheet", "/demo/", "light", strip_sheet),
    ("findings", "FINDINGS", "light", opened),
    ("plan", "FINDINGS", "light", plan),
    ("crosspoints", "CROSSPOINTS", "light", None),
    ("levels", "LEVELS", "light", what_if),
    ("timing", "TIMING", "dark", None),
    ("setup", "Settings", "light", None),
    ("stems", "STEMS", "light", None),
    ("revisions", "REVISIONS", "light", None),
    ("strips", "Strips", "dark", None),
    ("keys", "Side-chains", "light", None),
    ("ports", "PORTS", "light", None),
    ("shelf", "/", "light", None),
    ("import", "/import/", "light", bring),
    ("put-in", "/", "light", put_in),
    ("bench", "/", "light", bench),
    ("people", "People", "light", None),
]


def take(link: str, wanted: set[str]) -> None:
    with sync_playwright() as playwright:
        browser = launch(playwright)
        first = browser.new_context(base_url=f"http://{ADDRESS}")
        first.new_page().goto(link)  # which works once
        signed_in = first.storage_state()
        for name, path, scheme, act in VIEWS:
            if wanted and name not in wanted:
                continue
            page = browser.new_page(
                viewport={"width": 1280, "height": 800}, color_scheme=scheme, base_url=f"http://{ADDRESS}",
                storage_state=signed_in,
            )  # type: ignore[arg-type]  # fmt: skip
            page.goto("/demo/")
            if path[0] != "/":
                page.click(f"nav >> text={path.capitalize()}")
            else:
                page.goto(path)
            if act:
                act(page)
            settle(page)
            page.screenshot(path=SHOTS / f"{name}.png")
            page.close()
        browser.close()


def main() -> int:
    with served(ADDRESS) as link:
        take(link, set(sys.argv[1:]))
    return 0


if __name__ == "__main__":
    sys.exit(main())
