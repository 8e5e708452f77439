"""Simulate many users on a few templates, through the real server on 127.0.0.1; ends by itself.

python tools/many_people.py [--people 50] [--templates 10] [--strips 300] [--seconds 180]
python tools/many_people.py --edits 10000 [--strips 100]      one person, so many edits: does memory stay level?

Four of five actions read, one edits; every page polls for news every two seconds, as browsers do. At the end each
history is replayed: it has every acknowledged edit and leads to the stored version.
"""

from __future__ import annotations

import argparse
import random
import re
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from asking import Person, cookie_of, set_up, version_in

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
ADDRESS = ("127.0.0.1", 8771)
THINKS_S = (3.0, 9.0)  # between two actions of a user
NEWS_S = 2.0
READ = ("map/", "strips/", "findings/", "levels/", "panel/strip/{strip}/", "panel/findings/", "stems/", "timing/")


@dataclass
class Seen:
    """The results of all simulated users."""

    times_ms: dict[str, list[float]] = field(default_factory=dict)
    statuses: Counter[tuple[str, int]] = field(default_factory=Counter)
    kept: Counter[int] = field(default_factory=Counter)  # edits that were acknowledged, by template
    wrong: list[str] = field(default_factory=list)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, what: str, status: int, ms: float) -> None:
        with self.lock:
            self.times_ms.setdefault(what, []).append(ms)
            self.statuses[what, status] += 1


class Browser(Person):
    """One signed-in person, whose answers are timed."""

    def __init__(self, cookie: str, seen: Seen) -> None:
        super().__init__(ADDRESS, cookie)
        self.seen = seen

    def timed(self, what: str, path: str, form: dict[str, Any] | None = None) -> tuple[int, str]:
        start = time.perf_counter()
        status, text = self.ask(path, form)
        self.seen.add(what, status, (time.perf_counter() - start) * 1000)
        return status, text


def work(browser: Browser, template: int, strips: list[str], until: float, chance: random.Random) -> None:
    """One person at work: reads, edits, and learns of others."""
    time.sleep(chance.uniform(0, THINKS_S[1]))  # users start at different moments
    _status, page = browser.timed("read", f"/t/{template}/map/")
    version, news, names = version_in(page), 0.0, ""
    act = time.monotonic() + chance.uniform(0, THINKS_S[1])
    while time.monotonic() < until:
        if time.monotonic() >= news:
            asked = urlencode({"version": version, "place": "map", "here": names})
            status, text = browser.timed("news", f"/t/{template}/news/?{asked}")
            names = re.search(r'data-names="([^"]*)"', text)[1] if status == 200 else names  # type: ignore[index]
            if status == 200 and re.search(r'data-remarked="\d+"', text):
                status, text = browser.timed(
                    "catch up", f"/t/{template}/write/catch-up/", {"place": "map", "base": version}
                )
                version = version_in(text) or version
            news = time.monotonic() + NEWS_S
        if time.monotonic() >= act:
            strip = chance.choice(strips)
            if chance.random() < 0.8:
                browser.timed("read", f"/t/{template}/" + chance.choice(READ).format(strip=strip))
            else:
                form = {"strip": strip, "fader_db": round(chance.uniform(-30, 6), 2), "base": version, "place": "map"}
                status, text = browser.timed("edit", f"/t/{template}/write/change_strip/", form)
                after = version_in(text)
                if status == 200 and after > version:
                    with browser.seen.lock:
                        browser.seen.kept[template] += 1
                version = after or version
                if status not in (200, 409):
                    browser.seen.wrong.append(f"{status}: {text[:200]}")
            act = time.monotonic() + chance.uniform(*THINKS_S)
        time.sleep(0.02)


def made(people: int, templates: int, strips: int) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """People's cookies, and templates with the strips that are edited; in this process, before the server starts."""
    from django.contrib.auth.models import User

    from lattice.generate import generate
    from web.people.models import Member, Team
    from web.people.roles import Role
    from web.shelf import services
    from web.shelf.models import StoredTemplate

    team = Team.objects.create(name="All")
    users = [
        User.objects.create_user(f"one{number}", first_name="P.", last_name=f"{number}") for number in range(people)
    ]
    Member.objects.bulk_create(Member(team=team, user=user, role=Role.EDITOR) for user in users)
    stored = [services.store(users[0], generate(strips, seed + 1, worn=True)) for seed in range(templates)]
    StoredTemplate.objects.update(team=team)
    from web.shelf.workspace import workspace

    return [cookie_of(user) for user in users], [
        (one.pk, [s.id for s in workspace(one).template.strips if s.kind == "audio"]) for one in stored
    ]


def replayed(seen: Seen) -> None:
    """Every history has the acknowledged edits, and leads to its current version."""
    from lattice.formats.document_json import dump
    from web.shelf.history import state_at
    from web.shelf.models import StoredTemplate
    from web.shelf.workspace import forget_all, workspace

    forget_all()
    for stored in StoredTemplate.objects.all():
        entries = list(stored.journal.all())
        head = workspace(stored).template
        state = state_at(stored, head, max(1, stored.version - 900))
        for entry in entries[max(0, stored.version - 901) :]:
            change = entry.change
            assert change is not None
            state = change.apply(state)
        assert dump(state) == dump(head), f"template {stored.pk}: the journal does not lead to its head"
        assert len(entries) == stored.version - 1
        assert len(entries) == seen.kept[stored.pk], (
            f"template {stored.pk}: {len(entries)} in the journal, {seen.kept[stored.pk]} acknowledged"
        )
    total = sum(seen.kept.values())
    print(f"journals: {total} edits acknowledged, all there, all replay to their heads")


def resident_mib(pid: int) -> float:
    text = Path(f"/proc/{pid}/status").read_text()
    return int(re.search(r"VmRSS:\s+(\d+)", text)[1]) / 1024  # type: ignore[index]


def many_edits(browser: Browser, template: int, strips: list[str], edits: int, pid: int) -> None:
    """One person, one edit after the other."""
    _status, page = browser.timed("read", f"/t/{template}/map/")
    version, chance = version_in(page), random.Random(1)
    for number in range(edits):
        if number % (edits // 10) == 0:
            print(f"after {number} edits: {resident_mib(pid):.0f} MiB", flush=True)
        form = {
            "strip": chance.choice(strips),
            "fader_db": round(chance.uniform(-30, 6), 2),
            "base": version,
            "place": "levels",
        }
        status, text = browser.timed("edit", f"/t/{template}/write/change_strip/", form)
        assert status == 200, text[:300]
        if version_in(text) > version:
            browser.seen.kept[template] += 1
        version = version_in(text)
    print(f"after {edits} edits: {resident_mib(pid):.0f} MiB")


def main() -> None:
    parser = argparse.ArgumentParser()
    for name, value in (("people", 50), ("templates", 10), ("strips", 300), ("seconds", 180), ("edits", 0)):
        parser.add_argument(f"--{name}", type=int, default=value)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        set_up(folder)
        people, templates = made(
            1 if options.edits else options.people, 1 if options.edits else options.templates, options.strips
        )
        command = [sys.executable, "manage.py", "serve", "--listen", f"{ADDRESS[0]}:{ADDRESS[1]}"]
        with subprocess.Popen(command, cwd=ROOT) as server:
            try:
                _run(options, people, templates, server.pid)
            finally:
                server.terminate()


def _run(options: argparse.Namespace, people: list[str], templates: list[tuple[int, list[str]]], pid: int) -> None:
    seen = Seen()
    for _ in range(100):
        try:
            Browser("", seen).timed("start", "/health/live/")
            break
        except OSError:
            time.sleep(0.2)
    for number, (pk, _strips) in enumerate(templates):  # each is computed once before it is timed
        Browser(people[number % len(people)], seen).timed("first", f"/t/{pk}/map/")
    before = resident_mib(pid)
    if options.edits:
        many_edits(Browser(people[0], seen), *templates[0], options.edits, pid)
    else:
        until = time.monotonic() + options.seconds
        threads = [
            threading.Thread(
                target=work, args=(Browser(cookie, seen), *templates[n % len(templates)], until, random.Random(n))
            )
            for n, cookie in enumerate(people)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    for what, times in seen.times_ms.items():
        ordered = sorted(times)
        at = {share: ordered[min(int(share * len(ordered)), len(ordered) - 1)] for share in (0.5, 0.95, 0.99)}
        statuses = {status: number for (name, status), number in sorted(seen.statuses.items()) if name == what}
        shares = ", ".join(
            f"{name} {at[share]:.0f} ms" for name, share in (("median", 0.5), ("p95", 0.95), ("p99", 0.99))
        )
        print(f"{what}: {len(ordered)}, {shares}, longest {ordered[-1]:.0f} ms; {statuses}")
    print(f"memory of the server: {before:.0f} MiB before, {resident_mib(pid):.0f} MiB after")
    for words in seen.wrong[:5]:
        print("WRONG", words)
    replayed(seen)


if __name__ == "__main__":
    main()
