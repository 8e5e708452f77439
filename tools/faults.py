"""Kill server and worker repeatedly during use, fill the disk, lock the database; ends by itself.

python tools/faults.py kills [--kills 200]     at random moments of edits, revisions, packs, kits, readings and uploads
python tools/faults.py restores [--kills 40]   during the restoration of a backup
python tools/faults.py full-disk               on a small tmpfs; needs root
python tools/faults.py locked                  the database locked by another process for ten seconds

It uses 127.0.0.1 only. Asserted: the database is intact after each kill, each acknowledged edit is in the history, each
job ends, and a failed write was reported and left no part.
"""

from __future__ import annotations

import argparse
import http.client
import os
import random
import re
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

from asking import Person, cookie_of, set_up, version_in

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
ADDRESS = ("127.0.0.1", 8772)
LIVES_S = (0.3, 2.0)  # between a start and a kill
ENDS_S = 120  # within which every job ends after the last kill


def prepare(folder: Path) -> tuple[str, int]:
    """A person's cookie and their template, in a new data folder."""
    set_up(str(folder))
    from django.contrib.auth.models import User

    from web.shelf import services
    from web.shelf.demo import night_ferry

    user = User.objects.create_user("strand", first_name="I.", last_name="Strand")
    return cookie_of(user), services.store(user, night_ferry.clean()).pk


@contextmanager
def running(*words: str) -> Iterator[subprocess.Popen[bytes]]:
    """A command of the application in a process group of its own, killed at the end where it lives."""
    with subprocess.Popen(
        [sys.executable, "manage.py", *words], cwd=ROOT, start_new_session=True,
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    ) as process:  # fmt: skip
        try:
            yield process
        finally:
            kill(process)


def kill(process: subprocess.Popen[bytes]) -> None:
    with suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def answers() -> bool:
    for _ in range(600):
        try:
            return Person(ADDRESS).ask("/health/live/")[0] == 200
        except OSError:
            time.sleep(0.05)
    return False


def sound(database: Path) -> bool:
    with closing(sqlite3.connect(database)) as read:
        return bool(read.execute("PRAGMA integrity_check").fetchone() == ("ok",))


# kills


class Working(threading.Thread):
    """A simulated user who continues to work, whatever happens to the server."""

    def __init__(self, cookie: str, template: int, acknowledged: list[str], done: Counter[str]) -> None:
        super().__init__(daemon=True)
        self.person, self.template, self.acknowledged, self.done = Person(ADDRESS, cookie), template, acknowledged, done
        self.stopped, self.number, self.chance = False, 0, random.Random(7)

    def run(self) -> None:
        while not self.stopped:
            try:
                self._act()
            except (OSError, http.client.HTTPException):
                self.done["cut off"] += 1
                time.sleep(0.05)

    def _act(self) -> None:
        at = f"/t/{self.template}"
        _status, page = self.person.ask(f"{at}/map/")
        base = version_in(page)
        if not base:
            return
        for _ in range(4):
            self.number += 1
            name = f"Kill {self.number}"
            status, text = self.person.ask(
                f"{at}/write/change_template/", {"note": name, "base": base, "place": "levels"}
            )
            if status == 200 and f'data-version="{base + 1}"' in text:
                self.acknowledged.append(name)
                base += 1
            self.done[f"edit {status}"] += 1
        what = self.chance.choice(["seal", "pack", "kit", "stand-in", "upload"])
        self.done[f"{what} {self._other(what, at, base)}"] += 1

    def _other(self, what: str, at: str, base: int) -> int:
        ask = self.person.ask
        if what == "seal":
            return ask(f"{at}/revisions/seal/", {"base": base, "note": f"at {base}"})[0]
        if what == "pack":
            return ask(f"{at}/revisions/1/pack/begin/", {})[0]
        if what == "kit":
            return ask(f"{at}/bench/kits/make/", {"sources": "strip:narration-en", "tail_ms": "100"})[0]
        return self._of_a_kit(what, at)

    def _of_a_kit(self, what: str, at: str) -> int:
        ask = self.person.ask
        _status, page = ask(f"{at}/bench/")
        kits = re.findall(r"/bench/kits/(\d+)/", page)
        if not kits:
            return 0
        if what == "stand-in":
            return ask(f"{at}/bench/kits/{kits[0]}/stand-in/", {"faults": ""})[0]
        ask(f"{at}/bench/kits/{kits[0]}/prints/", {})
        readings = re.findall(r"/bench/readings/(\d+)/", ask(f"{at}/bench/")[1])
        if not readings:
            return 0
        form = (
            b'--x\r\nContent-Disposition: form-data; name="file"; filename="a.wav"\r\n\r\n'
            + b"RIFF" * 200_000
            + b"\r\n--x--\r\n"
        )
        return ask(f"{at}/bench/readings/{readings[0]}/file/", body=form, kind="multipart/form-data; boundary=x")[0]


def kills(number: int) -> None:
    with tempfile.TemporaryDirectory() as folder:
        cookie, template = prepare(Path(folder))
        database, acknowledged, done = Path(folder) / "lattice.sqlite3", list[str](), Counter[str]()
        working, chance, killed = Working(cookie, template, acknowledged, done), random.Random(3), Counter[str]()
        working.start()
        while sum(killed.values()) < number:
            with running("serve", "--listen", f"{ADDRESS[0]}:{ADDRESS[1]}", "--no-worker"):
                assert answers(), "the server does not come back"
                for _ in range(2):  # several workers die in the life of a server, which takes longer to start
                    with running("work") as first, running("work"):  # the second waits for the first
                        time.sleep(chance.uniform(1.0, 3.0))
                        kill(first)
                        time.sleep(chance.uniform(*LIVES_S))
                    killed["worker"] += 2
                time.sleep(chance.uniform(*LIVES_S))
            killed["server"] += 1
            assert sound(database), "integrity_check"
            if sum(killed.values()) % 50 == 0:
                print(f"{dict(killed)}: {len(acknowledged)} edits acknowledged, {dict(done)}", flush=True)
        working.stopped = True
        working.join(timeout=60)
        with running("serve", "--listen", f"{ADDRESS[0]}:{ADDRESS[1]}"):
            left = _jobs_end()
        assert sound(database)
        from web.shelf.models import JournalEntry, StoredTemplate

        labels = " | ".join(JournalEntry.objects.filter(template=template).values_list("label", flat=True))
        lost = [name for name in acknowledged if f"{name} " not in f"{labels} " and f"{name}|" not in labels]
        stored = StoredTemplate.objects.get(pk=template)
        assert stored.journal.count() == stored.version - 1
        _replays(stored)
        print(f"killed {dict(killed)}; {len(acknowledged)} edits acknowledged, {len(lost)} lost; jobs left open {left}")
        print(f"asked {dict(done)}")
        assert not lost
        assert not left


def _replays(stored: Any) -> None:
    from lattice.formats.document_json import dump
    from web.shelf.demo import night_ferry
    from web.shelf.workspace import workspace

    state = night_ferry.clean()
    for entry in stored.journal.all():
        state = entry.change.apply(state)
    assert dump(state) == dump(workspace(stored).template), "the journal does not lead to the head"


def _jobs_end() -> dict[str, int]:
    """How each job ended; those that have not within two minutes."""
    from web.bench.models import Reading
    from web.revisions.models import Pack

    until = time.monotonic() + ENDS_S
    while time.monotonic() < until:
        left = {kind.__name__: kind.objects.filter(state__in=kind.UNDER_WAY).count() for kind in (Pack, Reading)}
        left = {name: count for name, count in left.items() if count}
        if not left:
            break
        time.sleep(1)
    for kind in (Pack, Reading):
        print(kind.__name__, dict(Counter(kind.objects.values_list("state", flat=True))))
    return left


def restores(number: int) -> None:
    """Kill a restoration: at any moment a whole database exists, and the next restoration succeeds."""
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as safe:
        _cookie, template = prepare(Path(folder))
        from django.db import connection

        from web.running.backups import back_up

        connection.close()  # no other process may have the database open
        packed, database, chance, states = back_up(Path(safe)), Path(folder) / "lattice.sqlite3", random.Random(5), []
        for _ in range(number):
            _marked(database, "newer")
            with running("restore", str(packed)) as process, suppress(subprocess.TimeoutExpired):
                process.wait(chance.uniform(0.5, 2.0))
            assert sound(database)
            states.append(_mark_of(database, template))
        command = [sys.executable, "manage.py", "restore", str(packed)]
        done = subprocess.run(command, cwd=ROOT, check=False, capture_output=True, text=True)
        print(
            f"{number} killed: {dict(Counter(states))}; then {done.stdout.strip()[:60]} {_mark_of(database, template)}"
        )
        assert (done.returncode, _mark_of(database, template)) == (0, "restored")


def _marked(database: Path, name: str) -> None:
    with closing(sqlite3.connect(database, isolation_level=None)) as other:
        other.execute("UPDATE shelf_storedtemplate SET name = ?", [name])


def _mark_of(database: Path, template: int) -> str:
    with closing(sqlite3.connect(database)) as read:
        (name,) = read.execute("SELECT name FROM shelf_storedtemplate WHERE id = ?", [template]).fetchone()
    return "as it was" if name == "newer" else "restored"


# a full disk, a locked database


def full_disk() -> None:
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", folder], check=True)
        try:
            cookie, template = prepare(Path(folder))
            with running("serve", "--listen", f"{ADDRESS[0]}:{ADDRESS[1]}"):
                assert answers()
                person, statuses = Person(ADDRESS, cookie), Counter[int]()
                _status, page = person.ask(f"/t/{template}/map/")
                base, kept = version_in(page), 0
                filler = Path(folder) / "filler"
                for number in range(60):
                    if number == 20:
                        _fill(filler)
                    if number == 40:
                        filler.unlink()
                    form = {"note": f"Edit {number}", "base": base, "place": "levels"}
                    status, text = person.ask(f"/t/{template}/write/change_template/", form)
                    statuses[status] += 1
                    if status == 200 and f'data-version="{base + 1}"' in text:
                        base, kept = base + 1, kept + 1
                    elif number in (20, 21):
                        told = re.sub(r"<[^>]+>|\s+", " ", text)
                        print(f"told: {status} {' '.join(told.split())[:160]}")
            assert sound(Path(folder) / "lattice.sqlite3")
            from web.shelf.models import StoredTemplate

            stored = StoredTemplate.objects.get(pk=template)
            print(f"{dict(statuses)}; {kept} acknowledged, {stored.journal.count()} in the journal")
            assert kept == stored.journal.count() == stored.version - 1
            assert kept >= 30, "it goes on once there is room"
        finally:
            subprocess.run(["umount", "--lazy", folder], check=False)


def _fill(path: Path) -> None:
    """Takes all room that is left."""
    with path.open("wb", buffering=0) as file, suppress(OSError):
        while True:
            file.write(b"x" * 4096)


def locked() -> None:
    with tempfile.TemporaryDirectory() as folder:
        cookie, template = prepare(Path(folder))
        with running("serve", "--listen", f"{ADDRESS[0]}:{ADDRESS[1]}"):
            assert answers()
            person = Person(ADDRESS, cookie)
            _status, page = person.ask(f"/t/{template}/map/")
            base = version_in(page)
            with closing(sqlite3.connect(Path(folder) / "lattice.sqlite3", isolation_level=None)) as other:
                other.execute("BEGIN IMMEDIATE")
                start = time.monotonic()
                while time.monotonic() - start < 10:
                    began = time.monotonic()
                    status, _text = person.ask(f"/t/{template}/write/change_template/", {"note": "x", "base": base})
                    read = person.ask(f"/t/{template}/findings/")[0]
                    print(f"an edit: {status} after {time.monotonic() - began:.1f} s; reading meanwhile: {read}")
                    assert (status, read) == (503, 200)
                other.execute("ROLLBACK")
            status, _text = person.ask(f"/t/{template}/write/change_template/", {"note": "x", "base": base})
            print(f"behind it: {status}")
            assert status == 200


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("what", choices=["kills", "restores", "full-disk", "locked"])
    parser.add_argument("--kills", type=int, default=200)
    options = parser.parse_args()
    if options.what == "kills":
        kills(options.kills)
    elif options.what == "restores":
        restores(options.kills)
    elif options.what == "full-disk":
        full_disk()
    else:
        locked()


if __name__ == "__main__":
    main()
