"""The data folder: backups of it, restores into it, one worker at a time on it."""

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
from time import sleep
from typing import Any

import pytest
from django.conf import settings as django_settings

from tests.web.test_running import started
from web.running import backups
from web.running.backups import BackupError


def opened(database: Path) -> Any:
    """A connection that is written at once and closed behind its block."""
    return closing(sqlite3.connect(database, isolation_level=None))


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
        ("foreign", "is not a backup, or it is damaged"),
        ("no about", "it has no about.json"),
        ("other format", "is not a backup of Intact Lattice"),
        ("newer format", "is of version 2; this program reads version 1"),
        ("newer version", "is of a newer version (it has shelf.9999_later)"),
        ("changed", "lattice.sqlite3 has a wrong checksum"),
        ("cut", "damaged"),
        ("elsewhere", "../../elsewhere does not belong in a backup"),
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
    elif harm == "newer version":
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
        assert second.stderr.readline() == "another worker is running; this one starts when it ends\n"
        first.kill()
        first.wait()
        (place / "worker.beat").unlink()
        until_it_beats(second)
    finally:
        for process in filter(None, (first, second)):
            process.kill()
            process.communicate()
