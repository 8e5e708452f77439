"""Backups: one file with a consistent copy of the database during use, and the queued recordings.

A backup is a plain TAR file: `about.json` with the digests of the others, `lattice.sqlite3`, `prints/…`. The secret
that signs sessions is not in it: a stolen backup opens no session.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import sqlite3
import tarfile
import tempfile
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from time import time
from typing import Any

from django.conf import settings
from django.db import connection
from django.db.migrations.loader import MigrationLoader

FORMAT, VERSION = "intact-lattice.backup", 1
ABOUT, DATABASE = "about.json", "lattice.sqlite3"
NAME = "intact-lattice-%Y%m%d-%H%M%S.tar"
NEWEST, WEEKLY = 7, 4  # to retain
CHUNK = 1 << 20
HALF_DONE = BACKING_UP, CHECKING, RESTORING = ".backup-", ".check-", ".restore-"  # folders in which it is done
HALF_DONE_S = 24 * 3600  # after which no process can still use it


class BackupError(Exception):
    """A backup that cannot be made or used; its words say why."""


def back_up(folder: Path, now: datetime | None = None) -> Path:
    """Writes a backup into a folder and reads it back.

    Raises
    ------
    BackupError
        Where it cannot be written, or does not read back; then nothing is left of it.
    """
    now = now or datetime.now(UTC)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        _clear(folder)
        made = folder / now.strftime(NAME)
        with tempfile.TemporaryDirectory(prefix=BACKING_UP, dir=folder) as place:
            copy = Path(place) / DATABASE
            _copy_database(_database(), copy)
            packed = Path(place) / made.name
            _pack(packed, copy, now)
            check(packed)
            packed.replace(made)
    except (OSError, sqlite3.Error, tarfile.TarError) as wrong:
        raise BackupError(f"the backup cannot be written to {folder}: {wrong}") from None
    return made


def _clear(folder: Path) -> None:
    """Delete the remains of an interrupted backup or restore; a running one is younger."""
    for path in (path for kind in HALF_DONE for path in folder.glob(f"{kind}*")):
        if time() - path.stat().st_mtime > HALF_DONE_S:
            shutil.rmtree(path, ignore_errors=True)


def _database() -> Path:
    return Path(str(settings.DATABASES["default"]["NAME"]))


def _copy_database(database: Path, copy: Path) -> None:
    """SQLite's online backup: the state of one moment, while others write."""
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as source, closing(sqlite3.connect(copy)) as to:
        source.backup(to, pages=4096)
    os.chmod(copy, 0o600)


def _pack(packed: Path, copy: Path, now: datetime) -> None:
    prints = sorted(path for path in settings.PRINTS.rglob("*") if path.is_file()) if settings.PRINTS.exists() else []
    files = [(DATABASE, copy), *((f"prints/{path.relative_to(settings.PRINTS)}", path) for path in prints)]
    digests = {}
    with tarfile.open(packed, "w") as archive:
        for name, path in files:
            try:
                digests[name] = _digest(path)
                archive.add(path, name)
            except FileNotFoundError:  # a recording that was read in the meantime
                digests.pop(name, None)
        about = {
            "format": FORMAT, "version": VERSION, "made_at": now.isoformat(), "migrations": _migrations(copy),
            "sha256": digests,
        }  # fmt: skip
        data = json.dumps(about, indent=1).encode()
        entry = tarfile.TarInfo(ABOUT)
        entry.size = len(data)
        archive.addfile(entry, io.BytesIO(data))
    os.chmod(packed, 0o600)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _migrations(database: Path) -> list[str]:
    with closing(sqlite3.connect(database)) as read:
        return [f"{app}.{name}" for app, name in read.execute("SELECT app, name FROM django_migrations ORDER BY id")]


def check(packed: Path) -> dict[str, Any]:
    """The metadata of a backup, after all of its digests are checked. Raises BackupError."""
    with tempfile.TemporaryDirectory(prefix=CHECKING, dir=packed.parent) as place:
        return unpack(packed, Path(place))


def unpack(packed: Path, place: Path) -> dict[str, Any]:
    """Unpack a backup into a folder, checked. Raises BackupError with the reason."""
    try:
        with tarfile.open(packed) as archive:
            for entry in archive:
                _take_out(archive, entry, place)
    except (OSError, tarfile.TarError, EOFError) as wrong:
        raise BackupError(f"{packed.name} is not a backup, or it is damaged: {wrong}") from None
    try:
        about = json.loads((place / ABOUT).read_text())
    except (OSError, ValueError):
        raise BackupError(f"{packed.name} is not a backup of Intact Lattice: it has no {ABOUT}") from None
    if not isinstance(about, dict) or about.get("format") != FORMAT:
        raise BackupError(f"{packed.name} is not a backup of Intact Lattice")
    if about.get("version") != VERSION:
        raise BackupError(f"{packed.name} is of version {about.get('version')}; this program reads version {VERSION}")
    for name, digest in about["sha256"].items():
        path = place / name
        if not path.is_file() or _digest(path) != digest:
            raise BackupError(f"{packed.name} is damaged: {name} has a wrong checksum")
    with closing(sqlite3.connect(place / DATABASE)) as read:
        (said,) = read.execute("PRAGMA integrity_check").fetchone()
    if said != "ok":
        raise BackupError(f"{packed.name} is damaged: its database reports “{said}”")
    return about


def _take_out(archive: tarfile.TarFile, entry: tarfile.TarInfo, place: Path) -> None:
    """One file of a backup, inside the folder only: the Python of Debian 12 has no filter for that."""
    path = (place / entry.name).resolve()
    source = archive.extractfile(entry) if entry.isfile() else None
    if source is None or not path.is_relative_to(place.resolve()):
        raise BackupError(f"{entry.name[:100]} does not belong in a backup")
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as to:
        shutil.copyfileobj(source, to, CHUNK)


def restore(packed: Path) -> Path | None:
    """Replace the data by a backup; the old data is stored beside it. The server has to be stopped.

    Returns
    -------
    Path or None
        Where the database that was there is now.

    Raises
    ------
    BackupError
        With the reason; then nothing was changed.
    """
    database = _database()
    _clear(settings.VAR)
    with tempfile.TemporaryDirectory(prefix=RESTORING, dir=settings.VAR) as folder:
        place = Path(folder)
        about = unpack(packed, place)
        known = {f"{app}.{name}" for app, name in MigrationLoader(None).disk_migrations}
        newer = [name for name in about["migrations"] if name not in known]
        if newer:
            raise BackupError(f"{packed.name} is of a newer version (it has {newer[0]}). Update this program first.")
        connection.close()
        before = _put_beside(database)
        (place / DATABASE).replace(database)  # at once: whenever this is killed, one of the two is there
        if (place / "prints").exists():
            settings.PRINTS.mkdir(exist_ok=True)
            for path in (place / "prints").rglob("*"):
                if path.is_file():
                    to = settings.PRINTS / path.relative_to(place / "prints")
                    to.parent.mkdir(parents=True, exist_ok=True)
                    path.replace(to)
    return before


def _put_beside(database: Path) -> Path | None:
    """Give the database a second name, once no process writes to it. Raises BackupError if one does."""
    if not database.exists() or not database.stat().st_size:
        return None
    with closing(sqlite3.connect(database, timeout=0, isolation_level=None)) as held:
        try:
            held.execute("PRAGMA journal_mode=DELETE")  # needs the database for itself, and gathers what lies beside it
        except sqlite3.OperationalError:
            raise BackupError("the database is in use: stop the server and the worker first") from None
    before = database.with_name(f"{database.name}.before-{datetime.now(UTC):%Y%m%d-%H%M%S-%f}")
    try:
        before.hardlink_to(database)
    except OSError:  # a file system without second names
        shutil.copy2(database, before)
    return before


def prune(folder: Path, just_made: Path | None = None) -> list[Path]:
    """Takes away all backups in a folder but the newest seven and one of each of the last four weeks before them.

    The one that was just made stays, also where the clock was put back.
    """
    found = sorted((path for path in folder.glob("intact-lattice-*.tar") if _made_at(path)), reverse=True)
    kept = set(found[:NEWEST])
    weeks: dict[tuple[int, int], Path] = {}
    for path in found:
        made = _made_at(path)
        if made is not None:
            weeks.setdefault(made.isocalendar()[:2], path)
    kept |= set(list(weeks.values())[: WEEKLY + 1])
    gone = [path for path in found if path not in kept and path != just_made]
    for path in gone:
        path.unlink()
    return gone


def _made_at(path: Path) -> datetime | None:
    try:
        return datetime.strptime(path.name, NAME).replace(tzinfo=UTC)
    except ValueError:
        return None
