"""The table of strips in headless Chromium, on a server of its own: frames while it scrolls, a cell, a pasted block."""

from __future__ import annotations

import sys
from statistics import median

from playwright.sync_api import Page, sync_playwright
from served import served

from tests.browser.chromium import launch

ADDRESS = "127.0.0.1:8767"
EDITS = 9
BLOCK_ROWS = 300
# Behind the name: six columns of a block that renames, moves, feeds and sends.
BLOCK_COLUMNS = "section,to,sends,fader,tags"
# Scrolls from top to bottom in steps of `px` a frame, and gives the time between frames, ms.
SCROLL = """px => new Promise(done => {
  const place = document.getElementById("table-scroll");
  const frames = [];
  let before = performance.now();
  place.scrollTop = 0;
  function step(now) {
    frames.push(now - before);
    before = now;
    const top = place.scrollTop;
    place.scrollTop = top + px;
    if (place.scrollTop === top) done(frames.slice(2));
    else requestAnimationFrame(step);
  }
  requestAnimationFrame(step);
})"""
PASTE = """text => {
  const data = new DataTransfer();
  data.setData("text/plain", text);
  window.pastedAt = performance.now();
  const paste = new ClipboardEvent("paste", {clipboardData: data, bubbles: true, cancelable: true});
  document.activeElement.dispatchEvent(paste);
}"""
# From Enter to the painted answer, by the browser's own clock.
CLOCK = """() => {
  window.painted = [];
  let pressed = 0;
  addEventListener("keydown", event => event.key === "Enter" && (pressed = performance.now()), true);
  document.addEventListener("lattice:changed", () =>
    requestAnimationFrame(() => setTimeout(() => painted.push(performance.now() - pressed))));
}"""
SIZES = """() => Object.fromEntries(performance.getEntries()
  .filter(one => one.entryType === "navigation" || one.name.endsWith(".json"))
  .map(one => [new URL(one.name).pathname, [one.decodedBodySize, one.encodedBodySize]]))"""
POSTS = "() => performance.getEntries().filter(one => one.name.endsWith('/set_cells/')).map(one => one.duration)"
SINCE = """() => new Promise(done =>
  requestAnimationFrame(() => setTimeout(() => done(performance.now() - window.pastedAt))))"""


def at_version(page: Page, version: int) -> None:
    page.wait_for_selector(f'#state[data-version="{version}"]', state="attached")


def cell(page: Page, row: int, col: int) -> None:
    page.click(f'[role=row][data-row="{row}"] [data-col="{col}"]')


def rows_of(page: Page, kind: str) -> list[list[object]]:
    """Records of the strips of a kind; their cells are in the order of the columns."""
    rows: list[list[object]] = page.evaluate(
        "kind => fetch(document.getElementById('cells').dataset.from).then(a => a.json())"
        ".then(t => t.rows.filter(row => row[2] === kind))",
        kind,
    )
    return rows


def measure(page: Page, link: str, strips: int) -> None:
    page.goto(link)
    page.goto("/")
    page.click("text=Generated, ")
    address = page.url.replace("/map/", "/strips/")
    page.goto(f"{address}?columns=name,{BLOCK_COLUMNS},likely,findings")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_timeout(2500)
    for name, (size, sent) in page.evaluate(SIZES).items():
        print(f"{name}: {size / 1000:.0f} kB, {sent / 1000:.0f} kB as sent")
    for px in (26, 260, 2000):
        frames = page.evaluate(SCROLL, px)
        times = f"median {median(frames):.1f} ms, longest {max(frames):.1f} ms"
        print(f"scroll by {px} px a frame: {len(frames)} frames, {times}")
    page.evaluate("() => (document.getElementById('table-scroll').scrollTop = 0)")
    version = int(page.locator("#state").get_attribute("data-version") or 0)
    page.evaluate(CLOCK)
    for number in range(EDITS):
        cell(page, 3 + number, 4)
        page.keyboard.type(f"-{number + 1}")
        page.keyboard.press("Enter")
        at_version(page, version := version + 1)
        page.wait_for_timeout(200)
    times = page.evaluate("painted")
    posts = page.evaluate(POSTS)
    print(f"its request alone: median {median(posts[-EDITS:]):.0f} ms")
    print(f"one cell, Enter to painted answer: median {median(times):.0f} ms of {EDITS}, longest {max(times):.0f} ms")
    page.goto(f"{address}?columns=name,{BLOCK_COLUMNS},likely,findings&kind=audio")
    page.wait_for_selector("body[data-ready]")
    buses, returns = ([str(cells[1]) for cells in rows_of(page, kind)] for kind in ("bus", "return"))
    lines = ((f"New {n}", "Pasted", buses[n % 4], f"{returns[n % 3]}@-12", "-2", "later") for n in range(BLOCK_ROWS))
    block = "\n".join("\t".join(line) for line in lines)
    cell(page, 0, 0)
    page.evaluate(PASTE, block)
    page.wait_for_selector("#do-it")
    print(f"paste of {BLOCK_ROWS} × 6 cells, to its preview: {page.evaluate(SINCE):.0f} ms")
    page.evaluate("() => (window.pastedAt = performance.now())")
    page.click("#do-it")
    at_version(page, version + 1)
    print(f"and to the painted answer of the edit: {page.evaluate(SINCE):.0f} ms")


def main() -> int:
    strips = int(sys.argv[1]) if len(sys.argv) > 1 else 3000
    with served(ADDRESS, strips) as link, sync_playwright() as playwright:
        browser = launch(playwright)
        page = browser.new_page(base_url=f"http://{ADDRESS}", viewport={"width": 1280, "height": 800})
        measure(page, link, strips)
        browser.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
