"""axe on every page in both sheets: WCAG 2.2 AA; and no page scrolls sideways."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page

from web.editor.places.base import PLACES
from web.revisions.demo import second_studio, with_history
from web.shelf import services
from web.shelf.workspace import workspace

AXE = (Path(__file__).resolve().parents[2] / "web" / "static" / "vendor" / "axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
# Every place as it opens, and states that look different.
ADDRESSES = {name: f"/t/{{pk}}/{name}/" for name in PLACES} | {
    "shelf": "/",
    "new": "/new/",
    "import": "/import/",
    "strip panel": "/t/{pk}/map/?strip=glass-sampler",
    "section panel": "/t/{pk}/map/?section=choir",
    "finding": "/t/{pk}/map/?finding={finding}",
    "levels of a strip": "/t/{pk}/levels/?strip=glass-sampler&to=out-show",
    "awake": "/t/{pk}/findings/?awake=1",
    "strip sheet": "/t/{pk}/strip/?strip=glass-sampler",
    "strip inserts": "/t/{pk}/strip/?strip=narration-en",
    "stems of a set": "/t/{pk}/stems/?set=stereo&only=1",
    "compare": "/t/{pk}/revisions/compare/?from=1&to=now",
    "sign-in": "/sign-in/",
}


@pytest.mark.parametrize("sheet", ["paper", "dark"])
@pytest.mark.parametrize("place", ADDRESSES)
def test_a_page_has_no_fault_that_axe_knows(page: Page, person, place: str, sheet: str) -> None:  # type: ignore[no-untyped-def]
    stored = with_history(person)
    services.keep_inventory(person, second_studio())
    finding = workspace(stored).audit.findings[2].fingerprint
    page.emulate_media(color_scheme="dark" if sheet == "dark" else "light")
    if place == "sign-in":
        page.context.clear_cookies()
    page.goto(ADDRESSES[place].format(pk=stored.pk, finding=finding))
    page.wait_for_timeout(150)
    page.evaluate(AXE)
    result = page.evaluate("tags => axe.run(document, {runOnly: tags})", TAGS)
    faults = [
        (v["id"], [node["target"] for node in v["nodes"]][:4], v["nodes"][0]["failureSummary"])
        for v in result["violations"]
    ]
    assert faults == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
