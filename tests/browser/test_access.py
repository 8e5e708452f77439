"""axe on every page in light and dark colours: WCAG 2.2 AA; and no page scrolls sideways."""

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
# Pages by what is stored for them: the places of a template as they open, and states that look different.
NAMES = list(PLACES)
MAP = "/t/{pk}/map/"
GROUPS = {
    "first places": {name: f"/t/{{pk}}/{name}/" for name in NAMES[: len(NAMES) // 2]},
    "last places": {name: f"/t/{{pk}}/{name}/" for name in NAMES[len(NAMES) // 2 :]},
    "states of a place": {
        "strip panel": MAP + "?strip=glass-sampler",
        "section panel": MAP + "?section=choir",
        "finding": MAP + "?finding={finding}",
        "levels of a strip": "/t/{pk}/levels/?strip=glass-sampler&to=out-show",
        "awake": "/t/{pk}/findings/?awake=1",
        "strip sheet": "/t/{pk}/strips/?strip=glass-sampler",
        "strip inserts": "/t/{pk}/strips/?strip=narration-en",
        "stems of a set": "/t/{pk}/stems/?set=stereo&only=1",
    },
    "imports": {
        "shelf": "/",
        "new": "/new/",
        "import": "/import/",
        "brought": "/import/{brought}/",
        "newer sheet": "/t/{pk}/import/",
        "differences": "/import/{newer}/",
        "recordings": "/t/{pk}/recordings/",
    },
    "reuse": {
        "compare": "/t/{pk}/revisions/compare/?from=1&to=now",
        "cut down": "/t/{pk}/cut/?section=choir",
        "another layout": "/t/{pk}/layout/?after=5.1",
        "carry over": "/t/{variant}/carry/",
        "keep as a block": "/t/{pk}/block/?strips=glass-sampler",
        "blocks": "/blocks/",
        "put in": "/t/{variant}/put/",
        "put a block in": "/t/{variant}/put/{block}/",
        "from another": "/t/{variant}/from/{pk}/",
    },
    "bench": {
        "a kit": "/t/{pk}/bench/",
        "prints sent": "/t/{pk}/bench/readings/{reading}/",
        "a tone": "/t/{pk}/bench/tone/",
        "loudness": "/t/{pk}/bench/programme/",
    },
    "bench, a reading": {
        "a verdict": "/t/{pk}/bench/readings/{reading}/",
        "fix list": "/t/{pk}/bench/readings/{reading}/fixes/",
    },
    "accounts": {
        "account": "/account/",
        "two steps": "/account/two-step/",
        "administration": "/administration/",
        "teams": "/teams/",
        "roles": "/roles/",
    },
    "signed out": {
        "sign-in": "/sign-in/",
        "lost password": "/new-password/",
    },
}

ALIKE = "tr:nth-child(n+8), li:nth-child(n+8)"  # beyond those that show all there is; axe looks at every one


@pytest.mark.parametrize("group", GROUPS)
def test_pages_have_no_fault_that_axe_knows(page: Page, person, group: str) -> None:  # type: ignore[no-untyped-def]
    known = stored_for(group, person)
    if group == "signed out":
        page.context.clear_cookies()
    found = {name: faults_of(page, address.format(**known)) for name, address in GROUPS[group].items()}
    assert {name: faults for name, faults in found.items() if faults} == {}


def stored_for(group: str, person: User) -> dict[str, Any]:
    """Stores everything that the pages of a group show; the keys that their addresses name."""
    stored = with_history(person, User.objects.create_user("second", first_name="M.", last_name="Quay"))
    known: dict[str, Any] = {"pk": stored.pk, "finding": workspace(stored).audit.findings[2].fingerprint}
    services.keep_inventory(person, second_studio())
    if group == "imports":
        known["brought"] = put_aside(person, sample_workbook(), "Channels").pk
        known["newer"] = put_aside(person, b"Track,Level\nGlass sampler,loud\nBell,-3\n", "Newer", stored).pk
    if group == "reuse":
        with_parts(person, stored)
        known["variant"] = stored.variants.get().pk
        known["block"] = KeptBlock.objects.get(name="Choir").pk
    if group.startswith("bench"):
        known["reading"] = on_the_bench(stored, is_read="reading" in group)
    if group == "accounts":
        User.objects.filter(pk=person.pk).update(is_staff=True)
    return known


def on_the_bench(stored: StoredTemplate, is_read: bool) -> int:
    """A kit of one source with a reading that has a fault; or a tone, and prints that are being sent."""
    kit = bench.make_kit(stored, ["strip:bells"], 100.0)
    reading = Reading.objects.create(kit=kit, stand_in=["polarity:bells"])
    if is_read:
        read_prints_of.call_local(reading.pk)
        bench.answer(reading, 1, "session")
        return reading.pk
    asked = USUAL | {"sources": ["strip:bells"], "seconds": 0.2}
    play_tone_run.call_local(ToneRun.objects.create(template=stored, version=stored.version, asked=asked).pk)
    return bench.begin_reading(kit, stored.owner).pk


def faults_of(page: Page, address: str) -> list[Any]:
    """Faults of a page: it scrolls sideways, or breaks a rule in light colours, or its contrast in dark ones."""
    page.emulate_media(color_scheme="light")
    answer = page.goto(address)
    assert answer is not None
    assert answer.ok, address
    page.wait_for_timeout(150)
    is_wide = page.evaluate("document.documentElement.scrollWidth > innerWidth")
    page.evaluate("alike => document.querySelectorAll(alike).forEach(one => one.remove())", ALIKE)
    page.evaluate(AXE)
    faults = ["scrolls sideways"] * is_wide + broken_rules(page, {"type": "tag", "values": TAGS})
    page.emulate_media(color_scheme="dark")
    return faults + broken_rules(page, {"type": "rule", "values": ["color-contrast"]})


def broken_rules(page: Page, wanted: dict[str, Any]) -> list[Any]:
    """Violations of some of axe's rules: each with its place and reason."""
    options = {"runOnly": wanted, "resultTypes": ["violations"]}
    result = page.evaluate("options => axe.run(options)", options)
    return [
        (broken["id"], [node["target"] for node in broken["nodes"]][:4], broken["nodes"][0]["failureSummary"])
        for broken in result["violations"]
    ]
