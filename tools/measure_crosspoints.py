"""First paint and cell toggle of the crosspoints at 300 strips, in headless Chromium, on a server of its own."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from statistics import median

from playwright.sync_api import Page, sync_playwright
from served import served

from tests.browser.chromium import launch

ROOT = Path(__file__).resolve().parent.parent
ADDRESS = "127.0.0.1:8766"
TOGGLES = 9
# From the key to the painted answer by the browser's own clock; the clock outside adds the driver's polling.
CLOCK = """() => {
  window.painted = [];
  let pressed = 0;
  addEventListener("keydown", () => (pressed = performance.now()), true);
  document.addEventListener("htmx:afterSwap", (event) => {
    if (event.target.id !== "notice") return;
    requestAnimationFrame(() => setTimeout(() => painted.push(performance.now() - pressed)));
  });
}"""


def measure(page: Page, link: str) -> None:
    page.goto(link)
    page.goto("/")
    page.click("text=Generated, 300 strips")
    address = page.url.replace("/map/", "/crosspoints/")
    paints = []
    for _ in range(5):
        page.goto(address)
        page.wait_for_selector("body[data-ready]")
        page.wait_for_timeout(300)
        entry = "performance.getEntriesByName('first-contentful-paint')[0].startTime"
        paints.append(page.evaluate(f"() => {entry}"))
    toggles = []
    page.evaluate(CLOCK)
    page.locator("td[data-row='3'][data-col='5']").click()
    for number in range(TOGGLES):
        start = time.perf_counter()
        page.keyboard.press("Space")
        page.wait_for_selector(f'#state[data-version="{number + 2}"]', state="attached")
        toggles.append((time.perf_counter() - start) * 1000)
    print(f"first contentful paint: median {median(paints):.0f} ms of {len(paints)}")
    page.wait_for_timeout(300)
    print(f"cell toggle, key to painted answer: median {median(page.evaluate('painted')):.0f} ms of {len(toggles)}")
    print(f"the same by the clock outside the browser: median {median(toggles):.0f} ms")


def main() -> int:
    with served(ADDRESS) as link, sync_playwright() as playwright:
        browser = launch(playwright)
        measure(browser.new_page(base_url=f"http://{ADDRESS}"), link)
        browser.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
