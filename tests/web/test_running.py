"""Running it: settings that are checked, health, backups that can be restored, what is tidied away, and waiting jobs."""

from __future__ import annotations

import io
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tarfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from time import sleep, time
from typing import Any

import pytest
from django.conf import settings as django_settings
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import Client
from django.utils import timezone

from tests.build import template
from tests.web.test_writes import write
from web.accounts.models import Event
from web.plans.models import PlanJob
from web.running import backups, health
from web.running.backups import BackupError
from web.running.tidying import is_usual, since_last, tidy
from web.shared import heartbeat
from web.shared.logs import JsonLines, WithoutPaths
from web.shelf.models import JournalEntry, StoredTemplate


def opened(database: Path) -> Any:
    """A connection that is written at once and closed behind its block."""
    return closing(sqlite3.connect(database, isolation_level=None))


# settings


def started(folder: Path, *command: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """`manage.py` in an environment of its own."""
    known = {name: value for name, value in os.environ.items() if not name.startswith(("LATTICE_", "DJANGO_"))}
    given = {**known, "LATTICE_VAR": str(folder), **environment}
    words = [sys.executable, "manage.py", *command]
    return subprocess.run(words, env=given, capture_output=True, text=True, check=False)


@pytest.mark.parametrize(
    ("environment", "words"),
    [
        ({"LATTICE_HOSTS": "*"}, "LATTICE_HOSTS is “*”; name the hosts"),
        ({"LATTICE_HOSTS": " , "}, "LATTICE_HOSTS names nobody"),
        ({"LATTICE_HOSTS": "lattice.example", "LATTICE_DEBUG": "1"}, "are for this machine alone"),
        ({"LATTICE_HOSTS": "lattice.example", "LATTICE_DEMO": "1"}, "are for this machine alone"),
        ({"LATTICE_SECRET": "short"}, "LATTICE_SECRET has 5 characters; 50 are the least"),
        ({"LATTICE_SECRET": ""}, "LATTICE_SECRET has 0 characters"),
        ({"LATTICE_DEBUG": "yes"}, "switched on by 1 and off by 0"),
        ({"LATTICE_PROXY": "the proxy"}, "LATTICE_PROXY is “the proxy”"),
        ({"LATTICE_IDLE_HOURS": "0"}, "a whole number from 1 on is allowed"),
        ({"LATTICE_MAIL_HOST": "mail.example"}, "LATTICE_MAIL_HOST and LATTICE_MAIL_FROM go together"),
        ({"LATTICE_MAIL_HOST": "mail.example", "LATTICE_MAIL_FROM": "us"}, "LATTICE_MAIL_FROM is “us”"),
        ({"LATTICE_MAIL_SECURITY": "some"}, "starttls, tls, none are allowed"),
        ({"LATTICE_VAR": "/proc/nowhere"}, "the data folder /proc/nowhere cannot be made"),
    ],
)
def test_what_is_wrong_in_the_environment_is_one_sentence(
    tmp_path: Path, environment: dict[str, str], words: str
) -> None:
    done = started(tmp_path, "check", **environment)
    assert done.returncode == 1
    assert done.stderr.startswith("Intact Lattice cannot start: ")
    assert words in done.stderr
    assert len(done.stderr.splitlines()) == 1


def test_a_public_host_passes_the_deployment_check_and_needs_a_migrated_database(tmp_path: Path) -> None:
    public = {"LATTICE_HOSTS": "lattice.example"}
    done = started(tmp_path, "check", "--deploy", "--fail-level", "WARNING", **public)
    assert (done.returncode, done.stderr) == (0, "")
    served = started(tmp_path, "serve", "--listen", "127.0.0.1:1", **public)
    assert (served.returncode, "run `migrate` first" in served.stderr) == (1, True)


# health and logs


@pytest.fixture
def beating(tmp_path: Path, settings: Any) -> Path:
    settings.HEARTBEAT = tmp_path / "beat"
    heartbeat.beat()
    return settings.HEARTBEAT  # type: ignore[no-any-return]


def test_health_says_what_is_well(db: None, beating: Path) -> None:
    answer = Client().get("/health/")
    assert (answer.status_code, answer.json()["well"]) == (200, True)
    assert set(answer.json()["parts"]) == {"database", "worker", "disk"}
    assert Client().get("/health/live/").json() == {"well": True}


@pytest.mark.parametrize("part", ["worker", "worker, clock put back", "disk", "database"])
def test_health_says_what_is_not_well(db: None, beating: Path, monkeypatch: pytest.MonkeyPatch, part: str) -> None:
    if part.startswith("worker"):
        at = 0 if part == "worker" else time() + 3600
        os.utime(beating, (at, at))
    elif part == "disk":
        monkeypatch.setattr(health, "LEAST_FREE", 1 << 62)
    else:
        monkeypatch.setattr(health, "unmigrated", lambda: ["shelf.9999"])
    answer = Client().get("/health/")
    assert answer.status_code == 503
    assert [name for name, said in answer.json()["parts"].items() if not said["well"]] == [
        part.split(",", maxsplit=1)[0]
    ]


def test_a_job_says_that_no_worker_is_there(signed_in: Client, stored: StoredTemplate, beating: Path) -> None:
    PlanJob.objects.create(template=stored, version=stored.version)
    assert "Waiting for a worker" in signed_in.get(f"/t/{stored.pk}/plan/progress/").content.decode()
    os.utime(beating, (0, 0))
    assert "No worker is running" in signed_in.get(f"/t/{stored.pk}/plan/progress/").content.decode()


def test_a_line_of_the_log_has_the_request_and_nobody_in_it(
    signed_in: Client, stored: StoredTemplate, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("INFO", "web.requests")
    answer = signed_in.get(f"/t/{stored.pk}/strips/?q=secret")
    said = json.loads(JsonLines().format(caplog.records[-1]))
    assert said["request"] == answer["X-Request-Id"]
    assert (said["method"], said["view"], said["status"]) == ("GET", "strips", 200)
    assert not {"secret", "owner", "127.0.0.1"} & set(json.dumps(said).replace('"', " ").split())


@pytest.mark.parametrize(
    ("path", "status", "says"),
    [
        ("/invitation/s3cret/", 404, "Not Found: invitation"),
        ("/link/s3cret/", 404, "Not Found: link"),
        ("/s3cret/", 404, "Not Found: no such address"),
    ],
)
def test_a_secret_in_a_path_is_not_in_the_log(
    db: None, caplog: pytest.LogCaptureFixture, path: str, status: int, says: str
) -> None:
    caplog.handler.addFilter(WithoutPaths())
    assert Client().get(path).status_code == status
    (said,) = [record.getMessage() for record in caplog.records if record.name == "django.request"]
    assert said == says
    assert all(WithoutPaths.__name__ in str(one["()"]) for one in django_settings.LOGGING["filters"].values())


# backups


@pytest.fixture(scope="module")
def migrated(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An empty database that is up to date."""
    folder = tmp_path_factory.mktemp("migrated")
    done = started(folder, "migrate", "--verbosity", "0")
    assert done.returncode == 0, done.stderr
    with opened(folder / "lattice.sqlite3") as made:
        made.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return folder / "lattice.sqlite3"


@pytest.fixture
def place(tmp_path: Path, settings: Any, monkeypatch: pytest.MonkeyPatch, migrated: Path) -> Path:
    """A database of its own, with one template and one edit, and a recording that waits."""
    folder = tmp_path / "var"
    folder.mkdir()
    database = folder / "lattice.sqlite3"
    settings.VAR, settings.PRINTS = folder, folder / "prints"
    monkeypatch.setitem(django_settings.DATABASES["default"], "NAME", database)
    (folder / "prints" / "1").mkdir(parents=True)
    (folder / "prints" / "1" / "Drums.wav").write_bytes(b"sound")
    shutil.copy(migrated, database)
    with opened(database) as made:
        made.execute("CREATE TABLE kept (words TEXT)")
        made.execute("INSERT INTO kept VALUES ('first')")
    return folder


def kept_words(folder: Path) -> list[str]:
    with opened(folder / "lattice.sqlite3") as read:
        return [words for (words,) in read.execute("SELECT words FROM kept")]


def test_a_backup_is_restored_and_what_was_there_is_kept_beside_it(place: Path, tmp_path: Path) -> None:
    made = backups.back_up(tmp_path / "safe")
    assert made.stat().st_mode & 0o077 == 0
    with opened(place / "lattice.sqlite3") as later:
        later.execute("UPDATE kept SET words = 'second'")
    (place / "prints" / "1" / "Drums.wav").unlink()
    before = backups.restore(made)
    assert kept_words(place) == ["first"]
    assert (place / "prints" / "1" / "Drums.wav").read_bytes() == b"sound"
    assert before is not None
    with opened(before) as old:
        assert old.execute("SELECT words FROM kept").fetchall() == [("second",)]


def test_a_backup_is_of_one_moment_while_others_write(place: Path, tmp_path: Path) -> None:
    with opened(place / "lattice.sqlite3") as writing:
        writing.execute("PRAGMA journal_mode=WAL")
        writing.execute("BEGIN IMMEDIATE")
        writing.execute("UPDATE kept SET words = 'half done'")
        made = backups.back_up(tmp_path / "safe")
        writing.execute("COMMIT")
    backups.restore(made)
    assert kept_words(place) == ["first"]


@pytest.mark.parametrize(
    ("harm", "words"),
    [
        ("foreign", "is no backup, or a broken one"),
        ("no about", "it has no about.json"),
        ("other format", "is no backup of Intact Lattice"),
        ("newer format", "is of version 2; this program reads version 1"),
        ("newer program", "is of a newer program (it has shelf.9999_later)"),
        ("changed", "lattice.sqlite3 is not as it was written"),
        ("cut", "broken"),
        ("elsewhere", "../../elsewhere is nothing that a backup has in it"),
        ("in use", "the database is in use"),
    ],
)
def test_a_backup_that_cannot_be_restored_says_why_and_changes_nothing(
    place: Path, tmp_path: Path, harm: str, words: str
) -> None:
    made = backups.back_up(tmp_path / "safe")
    held = None
    if harm == "foreign":
        made.write_bytes(b"x" * 5000)
    elif harm == "cut":
        made.write_bytes(made.read_bytes()[:40_000])
    elif harm == "in use":
        held = sqlite3.connect(place / "lattice.sqlite3")
        held.execute("PRAGMA journal_mode=WAL")
        held.execute("SELECT * FROM kept").fetchall()
    else:
        _rewritten(made, harm)
    with opened(place / "lattice.sqlite3") as later:
        later.execute("UPDATE kept SET words = 'second'")
    with pytest.raises(BackupError, match=words.replace("(", r"\(").replace(")", r"\)")):
        backups.restore(made)
    if held is not None:
        held.close()
    assert kept_words(place) == ["second"]


def _rewritten(packed: Path, harm: str) -> None:
    with tarfile.open(packed) as archive:
        files = {entry.name: archive.extractfile(entry).read() for entry in archive if entry.isfile()}  # type: ignore[union-attr]
    about = json.loads(files["about.json"])
    if harm == "other format":
        about["format"] = "something.else"
    elif harm == "newer format":
        about["version"] = 2
    elif harm == "newer program":
        about["migrations"].append("shelf.9999_later")
    elif harm == "elsewhere":
        files["../../elsewhere"] = b"x"
    elif harm == "changed":
        files["lattice.sqlite3"] += b"x"
    files["about.json"] = json.dumps(about).encode()
    if harm == "no about":
        del files["about.json"]
    with tarfile.open(packed, "w") as archive:
        for name, data in files.items():
            entry = tarfile.TarInfo(name)
            entry.size = len(data)
            archive.addfile(entry, io.BytesIO(data))


def test_seven_newest_and_four_weekly_backups_are_kept(tmp_path: Path) -> None:
    first = datetime(2026, 9, 1, 3, tzinfo=UTC)  # a Tuesday
    for day in range(60):
        (tmp_path / (first + timedelta(days=day)).strftime(backups.NAME)).touch()
    (tmp_path / "intact-lattice-mine.tar").touch()
    backups.prune(tmp_path)
    left = sorted(path.name for path in tmp_path.iterdir())
    days = [name[15:23] for name in left if name[15:23].isdecimal()]
    # 60 days from 1 September end on Friday, 30 October; the weekly ones are the last of their weeks.
    assert days == [
        "20261004",
        "20261011",
        "20261018",
        "20261024",
        "20261025",
        "20261026",
        "20261027",
        "20261028",
        "20261029",
        "20261030",
    ]
    assert "intact-lattice-mine.tar" in left


def test_the_backup_that_was_just_made_stays_where_the_clock_was_put_back(tmp_path: Path) -> None:
    for day in range(1, 20):
        (tmp_path / datetime(2027, 3, day, 3, tzinfo=UTC).strftime(backups.NAME)).touch()
    made = tmp_path / datetime(1970, 1, 1, 3, tzinfo=UTC).strftime(backups.NAME)
    made.touch()
    assert backups.prune(tmp_path, made)
    assert made.exists()


def test_a_restore_that_is_cut_off_leaves_a_whole_database(
    place: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = backups.back_up(tmp_path / "safe")
    with opened(place / "lattice.sqlite3") as later:
        later.execute("UPDATE kept SET words = 'second'")

    def killed(*_given: Any) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as at_the_worst:
        at_the_worst.setattr(Path, "replace", killed)
        with pytest.raises(KeyboardInterrupt):
            backups.restore(made)
    assert kept_words(place) == ["second"]
    backups.restore(made)
    assert kept_words(place) == ["first"]


def test_what_was_left_half_done_is_cleared_a_day_later(place: Path, tmp_path: Path) -> None:
    folders = [tmp_path / "safe" / name for name in (".backup-old", ".backup-new", "mine")]
    for folder in folders:
        folder.mkdir(parents=True)
    for folder in (folders[0], folders[2]):
        os.utime(folder, (0, 0))
    backups.back_up(tmp_path / "safe")
    assert [folder.exists() for folder in folders] == [False, True, True]


def test_a_full_disk_leaves_no_half_backup(place: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_given: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(backups, "_pack", full)
    with pytest.raises(BackupError, match="No space left on device"):
        backups.back_up(tmp_path / "safe")
    assert list((tmp_path / "safe").iterdir()) == []


# tidying, quotas


def test_what_is_over_is_tidied_away_and_the_rest_stays(signed_in: Client, stored: StoredTemplate, owner: User) -> None:
    write(signed_in, stored, "change_strip", strip="kick", fader_db="-3")
    gone = StoredTemplate.objects.create(owner=owner, name="Gone", head=stored.head, deleted_at=timezone.now())
    Event.objects.create(kind="account", words="new")
    tidy()
    assert StoredTemplate.objects.count() == 2
    long_ago = timezone.now() - timedelta(days=400)
    StoredTemplate.objects.filter(pk=gone.pk).update(deleted_at=long_ago)
    Event.objects.filter(words="new").update(at=long_ago)
    JournalEntry.objects.update(at=long_ago)
    done = tidy()
    assert (done["templates"], done["events"], done["patches of edits"]) == (1, 1, 1)
    assert [str(entry) for entry in JournalEntry.objects.all()] == ["2: Kick: fader −3"]
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200
    assert write(signed_in, stored, "undo").status_code == 409, "what it did is not known any more"


@pytest.mark.parametrize(
    ("jump", "goes_on"),
    [(timedelta(days=1), True), (timedelta(days=7), True), (timedelta(days=400), False), (-timedelta(days=1), False)],
)
def test_nothing_is_taken_away_on_the_day_the_clock_has_jumped(
    db: None, tmp_path: Path, settings: Any, jump: timedelta, goes_on: bool
) -> None:
    settings.VAR = tmp_path
    now = timezone.now()
    assert is_usual(since_last(now)), "the first time"
    assert is_usual(since_last(now + jump)) is goes_on
    assert is_usual(since_last(now + jump + timedelta(days=1))), "a day later the clock is believed"


def test_on_a_full_disk_whoever_is_signed_in_reads_on(
    signed_in: Client, stored: StoredTemplate, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = signed_in.session
    session["seen"] -= 3600  # so that the next look is written down
    session.save()

    def full(*_given: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200


def test_two_workers_at_once_work_one_after_the_other(place: Path) -> None:
    def worker() -> subprocess.Popen[str]:
        command = [sys.executable, "manage.py", "work"]
        return subprocess.Popen(
            command, env={**os.environ, "LATTICE_VAR": str(place)}, stderr=subprocess.PIPE, text=True
        )

    def until_it_beats(process: subprocess.Popen[str]) -> None:
        for _ in range(600):
            if (place / "worker.beat").exists():
                return
            assert process.poll() is None
            sleep(0.05)
        raise AssertionError("it has not begun in half a minute")

    first, second = worker(), None
    try:
        until_it_beats(first)
        second = worker()
        assert second.stderr is not None
        assert second.stderr.readline() == "another worker is at work; this one waits until it ends\n"
        first.kill()
        first.wait()
        (place / "worker.beat").unlink()
        until_it_beats(second)
    finally:
        for process in filter(None, (first, second)):
            process.kill()
            process.communicate()


def test_the_first_administrator_is_invited_from_the_command_line(db: None) -> None:
    out = io.StringIO()
    call_command("administrator", address="https://lattice.example/", stdout=out)
    assert out.getvalue().startswith("https://lattice.example/invitation/")
    path = out.getvalue().strip().removeprefix("https://lattice.example")
    password = "tide and glass 7"  # noqa: S105 - of nobody
    Client().post(path, {"username": "runs", "password1": password, "password2": password})
    assert User.objects.get().is_staff


def test_a_full_shelf_is_told_and_takes_no_more(signed_in: Client, stored: StoredTemplate, settings: Any) -> None:
    settings.MOST_TEMPLATES = 2
    assert signed_in.post("/new/", {"name": "Second"}).status_code == 302
    for address, values in (("/new/", {"name": "Third"}), (f"/t/{stored.pk}/duplicate/", {})):
        answer = signed_in.post(address, values)
        assert (answer.status_code, "You have 2 templates" in answer.content.decode()) == (403, True)
    assert StoredTemplate.objects.count() == 2


def test_computed_templates_take_no_more_memory_than_is_said(owner: User, settings: Any) -> None:
    from web.shelf import services, workspace

    stored = [services.store(owner, template([f"a:x{n}" for n in range(20)], name=f"T{number}")) for number in range(6)]
    one = workspace.size_of(workspace.workspace(stored[0]))
    settings.CACHE_BYTES = 3 * one
    workspace.forget_all()
    for each in stored:
        workspace.workspace(each)
    assert len(workspace._kept) == 3
    assert list(workspace._kept) == [each.pk for each in stored[-3:]]
