"""Server time and size of edits on the map and of pages, clean and worn, from the Server-Timing header.

Uses its own database in a temporary folder. With `--paint`, pages of 3,000 worn strips are also opened in headless
Chromium, for their first contentful paint. Numbers are medians of seven, in ms and kB. The last column of the first
table is the time of `json.loads` of the document, as the machine drifts. The tables in docs/performance.md come from
here.

    python tools/measure_web.py [--paint]
"""

from __future__ import annotations

import json
import os
import re
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from statistics import median
from time import perf_counter
from typing import Any

ROUNDS = 7
LARGE = 3000
# strips, worn, all sections folded
TEMPLATES = ((60, False, False), (300, False, False), (300, True, False), (LARGE, False, True), (LARGE, True, True))
PAGES = ("map", "findings", "levels", "timing", "stems", "strips", "crosspoints", "keys", "ports", "plan")
ADDRESS = "127.0.0.1:8931"


def main() -> int:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["LATTICE_VAR"] = folder
        os.environ["LATTICE_DEMO"] = "1"
        os.environ["DJANGO_SETTINGS_MODULE"] = "web.config.settings"
        import django

        django.setup()
        from django.contrib.auth import get_user_model
        from django.core.management import call_command

        import web.config.wsgi  # noqa: F401 - for its settings of garbage collection

        call_command("migrate", verbosity=0)
        user = get_user_model().objects.create_user("measure")
        stored = edits(user)
        pages(user, stored)
        if "--paint" in sys.argv:
            paints(user, stored)
    return 0


def edits(user: Any) -> Any:
    """The table of edits; gives the last template, the large worn one."""
    from lattice.formats.document_json import dump
    from lattice.generate import generate
    from web.shelf import services

    print("strips        map         a fader: ms   kB    write audit+layout draw    a feed: ms   kB    json.loads ms")
    stored = None
    for strips, worn, folded in TEMPLATES:
        template = generate(strips, worn=worn)
        data = dump(template)
        stored = services.store(user, template)
        page = Page(user, stored, folded=folded)
        audio = [strip.id for strip in template.strips if strip.kind == "audio"]
        bus = next(strip.id for strip in template.strips if strip.kind == "bus")
        fader = [page.write("change_strip", strip=audio[3], fader_db=str(-n - 1)) for n in range(ROUNDS)]
        feed = [page.write("connect", **{"from": audio[-1 - n], "to": bus, "kind": "send"}) for n in range(ROUNDS)]
        plain = median(timed(lambda data=data: json.loads(data)) for _ in range(ROUNDS))  # type: ignore[misc]
        ms, parts = {name: median(row[name] for row in fader) for name in fader[0]}, ("write", "audit-layout", "draw")
        shown = f"{'worn' if worn else 'clean':5} {'folded' if folded else 'open':6}"
        first = f"{ms['total']:11.0f} {ms['kB']:5.0f}  {'  '.join(f'{ms[name]:7.0f}' for name in parts)}"
        second = f"{median(row['total'] for row in feed):13.0f} {median(row['kB'] for row in feed):5.0f}"
        print(f"{strips:6}   {shown}   {first}   {second}   {plain:13.1f}")
    return stored


def pages(user: Any, stored: Any) -> None:
    """The table of pages of the large worn template."""
    client = signed_in(user)
    print(f"\npages at {LARGE} worn strips   ms   kB")
    for place in PAGES:
        answers = [client.get(f"/t/{stored.pk}/{place}/") for _ in range(ROUNDS)]
        ms = median(timing(answer)["total"] for answer in answers)
        print(f"{place:24} {ms:7.0f} {len(answers[0].content) / 1000:5.0f}")


def paints(user: Any, stored: Any) -> None:
    """First contentful paint of pages in headless Chromium, ms."""
    from playwright.sync_api import sync_playwright

    sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
    from sesame.utils import get_token

    from tests.browser.chromium import launch

    paint = """() => new Promise((done) => {
        const look = () => {
            const entry = performance.getEntriesByName("first-contentful-paint")[0];
            if (entry) done(entry.startTime); else setTimeout(look, 20);
        };
        look();
    })"""
    print(f"\nfirst paint at {LARGE} worn strips   ms")
    with serving(), sync_playwright() as playwright:
        page = launch(playwright).new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.goto(f"http://{ADDRESS}/sign-in/{get_token(user)}/")
        for place in PAGES[:5]:
            found = []
            for _ in range(ROUNDS):
                page.goto(f"http://{ADDRESS}/t/{stored.pk}/{place}/")
                found.append(page.evaluate(paint))
            print(f"{place:24} {median(found):7.0f}")


@contextmanager
def serving() -> Iterator[None]:
    """The application on an address, in a thread of this process, whose states are computed already."""
    from threading import Thread

    import waitress

    from web.config.wsgi import application

    server = waitress.create_server(application, listen=ADDRESS)
    Thread(target=server.run, daemon=True).start()
    yield
    server.close()


class Page:
    """A page of the map that states its version, as a browser does, and stores the tokens of answers."""

    def __init__(self, user: Any, stored: Any, *, folded: bool) -> None:
        self.client, self.stored = signed_in(user), stored
        self.client.post(f"/t/{stored.pk}/write/fold/", {"section": "all" if folded else "none"})
        self.version = stored.version
        page = self.client.get(f"/t/{stored.pk}/map/").content.decode()
        self.tokens = dict(re.findall(r'id="([\w-]+)"\s+data-shown="(\w+)"', page))
        self._ask_for_tables()

    def _ask_for_tables(self) -> None:
        for table in ("strips", "wires"):
            self.tokens[table] = self.client.get(f"/t/{self.stored.pk}/{table}.json").json()["shown"]

    def write(self, what: str, **values: str) -> dict[str, float]:
        """Times of an edit, ms, and the kB of its answer."""
        said = " ".join(f"{into}:{token}" for into, token in self.tokens.items())
        form = {"base": self.version, "place": "map", "shown": said, **values}
        answer = self.client.post(f"/t/{self.stored.pk}/write/{what}/", form)
        if answer.status_code != 200:
            raise RuntimeError(answer.content.decode())
        self.version += 1
        if 'data-token=""' in answer.content.decode():  # a table that the page asks for by itself
            self._ask_for_tables()
        self.tokens |= re.findall(r'data-into="([\w-]+)" data-token="(\w+)"', answer.content.decode())
        return timing(answer) | {"kB": len(answer.content) / 1000}


def signed_in(user: Any) -> Any:
    from django.test import Client

    client = Client(SERVER_NAME="localhost")
    client.force_login(user)
    return client


def timing(answer: Any) -> dict[str, float]:
    entries = answer["Server-Timing"].split(", ")
    return {name: float(value) for name, value in (entry.split(";dur=") for entry in entries)}


def timed(work: Callable[[], object]) -> float:
    start = perf_counter()
    work()
    return (perf_counter() - start) * 1000


if __name__ == "__main__":
    sys.exit(main())
