"""axe on every page in both sheets: WCAG 2.2 AA; and no page scrolls sideways."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import Page

from web.bench import services as bench
from web.bench.models import Reading, ToneRun
from web.bench.tasks import play_tone_run, read_prints_of
from web.bench.tone import USUAL
from web.bringing.services import put_aside
from web.editor.places.base import PLACES
from web.reuse.demo import with_parts
from web.reuse.models import KeptBlock
from web.revisions.demo import second_studio, with_history
from web.shelf import services
from web.shelf.demo.sample_workbook import sample_workbook
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

AXE = (Path(__file__).resolve().parents[2] / "web" / "static" / "vendor" / "axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
# Every place as it opens, and states that look different.
ADDRESSES = {name: f"/t/{{pk}}/{name}/" for name in PLACES} | {
    "shelf": "/",
    "new": "/new/",
    "import": "/import/",
    "brought": "/import/{brought}/",
    "newer sheet": "/t/{pk}/import/",
    "differences": "/import/{newer}/",
    "strip panel": "/t/{pk}/map/?strip=glass-sampler",
    "section panel": "/t/{pk}/map/?section=choir",
    "finding": "/t/{pk}/map/?finding={finding}",
    "levels of a strip": "/t/{pk}/levels/?strip=glass-sampler&to=out-show",
    "awake": "/t/{pk}/findings/?awake=1",
    "strip sheet": "/t/{pk}/strips/?strip=glass-sampler",
    "strip inserts": "/t/{pk}/strips/?strip=narration-en",
    "stems of a set": "/t/{pk}/stems/?set=stereo&only=1",
    "compare": "/t/{pk}/revisions/compare/?from=1&to=now",
    "cut down": "/t/{pk}/cut/?section=choir",
    "another layout": "/t/{pk}/layout/?after=5.1",
    "carry over": "/t/{variant}/carry/",
    "keep as a block": "/t/{pk}/block/?strips=glass-sampler",
    "blocks": "/blocks/",
    "put in": "/t/{variant}/put/",
    "put a block in": "/t/{variant}/put/{block}/",
    "from another": "/t/{variant}/from/{pk}/",
    "recordings": "/t/{pk}/recordings/",
    "bench, a kit": "/t/{pk}/bench/",
    "bench, prints sent": "/t/{pk}/bench/readings/{gathering}/",
    "bench, a verdict": "/t/{pk}/bench/readings/{reading}/",
    "bench, fix list": "/t/{pk}/bench/readings/{reading}/fixes/",
    "bench, a tone": "/t/{pk}/bench/tone/",
    "bench, loudness": "/t/{pk}/bench/programme/",
    "account": "/account/",
    "two steps": "/account/two-step/",
    "administration": "/administration/",
    "teams": "/teams/",
    "roles": "/roles/",
    "sign-in": "/sign-in/",
    "lost password": "/new-password/",
}


ALIKE = "tr:nth-child(n+8), li:nth-child(n+8)"  # beyond those that show all there is; axe looks at every one


def on_the_bench(stored: StoredTemplate, place: str) -> dict[str, int]:
    """A kit of one source, prints that are being sent; a reading with a fault, or a tone, where the page shows them."""
    kit = bench.make_kit(stored, ["strip:bells"], 100.0)
    reading = Reading.objects.create(kit=kit, stand_in=["polarity:bells"])
    if "{reading}" in ADDRESSES[place]:
        read_prints_of.call_local(reading.pk)
        bench.answer(reading, 1, "session")
    if "tone" in place:
        asked = USUAL | {"sources": ["strip:bells"], "seconds": 0.2}
        run = ToneRun.objects.create(template=stored, version=stored.version, asked=asked)
        play_tone_run.call_local(run.pk)
    return {"gathering": bench.begin_reading(kit, stored.owner).pk, "reading": reading.pk}


@pytest.mark.parametrize("place", ADDRESSES)
def test_a_page_has_no_fault_that_axe_knows(page: Page, person, place: str) -> None:  # type: ignore[no-untyped-def]
    stored = with_history(person, User.objects.create_user("second", first_name="M.", last_name="Quay"))
    services.keep_inventory(person, second_studio())
    finding = workspace(stored).audit.findings[2].fingerprint
    brought = put_aside(person, sample_workbook(), "Channels").pk
    newer = put_aside(person, b"Track,Level\nGlass sampler,loud\nBell,-3\n", "Newer", stored).pk
    with_parts(person, stored)
    variant = stored.variants.get().pk
    block = KeptBlock.objects.get(name="Choir").pk
    known_on_bench = on_the_bench(stored, place) if "bench," in place else {}
    if place == "administration":
        type(person).objects.update(is_staff=True)
    if place == "sign-in":
        page.context.clear_cookies()
    page.emulate_media(color_scheme="light")
    known = {
        "finding": finding,
        "brought": brought,
        "newer": newer,
        "variant": variant,
        "block": block,
        **known_on_bench,
    }
    answer = page.goto(ADDRESSES[place].format(pk=stored.pk, **known))
    assert answer is not None
    assert answer.ok
    page.wait_for_timeout(150)
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.evaluate("alike => document.querySelectorAll(alike).forEach(one => one.remove())", ALIKE)
    page.evaluate(AXE)
    assert faults(page, {"type": "tag", "values": TAGS}) == []
    page.emulate_media(color_scheme="dark")  # the same page in other colours
    assert faults(page, {"type": "rule", "values": ["color-contrast"]}) == []


def faults(page: Page, wanted: dict[str, Any]) -> list[Any]:
    """Violations of some of axe's rules: each with its place and reason."""
    options = {"runOnly": wanted, "resultTypes": ["violations"]}
    result = page.evaluate("options => axe.run(options)", options)
    return [
        (broken["id"], [node["target"] for node in broken["nodes"]][:4], broken["nodes"][0]["failureSummary"])
        for broken in result["violations"]
    ]
