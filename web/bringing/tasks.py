"""Recordings that wait to be measured: their files, and whose is next. Measuring is the worker's, a file at a time.

Users take turns, so that no folder delays another user's file. Only one file is measured at once, so that the worker's
other thread is free for short jobs.
"""

from __future__ import annotations

import shutil
from pathlib import Path
from threading import Lock
from typing import Any

import msgspec
from django.conf import settings
from django.core.files.uploadedfile import TemporaryUploadedFile

from lattice.apart import Limits, read_apart
from lattice.bench.recordings import Measured
from lattice.errors import DocumentError, EditError
from web.bringing.models import Recording
from web.shared.jobs import queue

MOST_SAMPLES = 1_000_000_000  # frames × channels: an hour of 5.1, three of stereo, at 48 kHz
LIMITS = Limits(memory_mib=4096, seconds=300)
BEHIND_OTHERS = -10  # priority: plans, packs and readings go before
_measuring = Lock()
_turns: dict[int, int] = {}  # person → when they were served last, counted


def file_of(recording: Recording) -> Path:
    """Where its file lies until it is measured."""
    return Path(settings.PRINTS) / "recordings" / str(recording.pk)


def put_by(recording: Recording, file: Any) -> None:
    """Keeps a file that was sent until it is measured. Raises EditError where there is no room for it."""
    owner = recording.of.owner
    waiting = Recording.objects.filter(of__owner=owner, state__gt="")
    used = sum(path.stat().st_size for path in map(file_of, waiting) if path.exists())
    if used + file.size > settings.PRINTS_QUOTA:
        raise EditError(f"not enough space: {settings.PRINTS_QUOTA / 1024**3:.0f} GiB wait to be measured already")
    path = file_of(recording)
    path.parent.mkdir(parents=True, exist_ok=True)
    if isinstance(file, TemporaryUploadedFile):
        shutil.copyfile(file.temporary_file_path(), path)
    else:
        path.write_bytes(file.read())


def next_waiting() -> Recording | None:
    """The oldest recording of the user served longest ago."""
    owners = Recording.objects.filter(state=Recording.WAITING).values_list("of__owner", flat=True).distinct()
    owner = min(owners, key=lambda person: (_turns.get(person, 0), person), default=None)
    waiting = Recording.objects.filter(state=Recording.WAITING, of__owner=owner).order_by("pk")
    return waiting.select_related("of").first()


@queue.task(priority=BEHIND_OTHERS)
def measure_next() -> None:
    """Measures the waiting files one after the other; does nothing where another thread does so already."""
    if not _measuring.acquire(blocking=False):
        return
    try:
        while (recording := next_waiting()) is not None:
            _turns[recording.of.owner_id] = max(_turns.values(), default=0) + 1
            if Recording.objects.filter(pk=recording.pk, state=Recording.WAITING).update(state=Recording.MEASURING):
                _measure(recording)
    finally:
        _measuring.release()


def _measure(recording: Recording) -> None:
    path = file_of(recording)
    try:
        said = msgspec.json.encode([str(path), recording.name, MOST_SAMPLES])
        found = read_apart("lattice.bench.recordings:measure_named", said, Measured, "the recording", LIMITS)
        fields = fields_of(found)
    except DocumentError as wrong:
        fields = {**NOTHING, "said": wrong.problems[0][:300]}
    finally:
        path.unlink(missing_ok=True)
    Recording.objects.filter(pk=recording.pk).update(**fields, state="")


NOTHING: dict[str, Any] = dict.fromkeys(("sample_peak_dbfs", "peak_dbfs", "rms_dbfs"))


def fields_of(found: Measured) -> dict[str, Any]:
    """The stored figures."""
    levels = {"sample_peak_dbfs": found.sample_peak_dbfs if found.sounds else None, **found.levels}
    return {
        "layout": found.layout,
        "rate_hz": found.sample_rate_hz,
        "seconds": found.seconds,
        "said": "" if found.sounds else "has no sound above −60 dBFS",
        **{field: levels.get(field) for field in NOTHING},
    }


def take_up() -> None:
    """At the start of a worker: measures the waiting files, except the one at which the last worker ended."""
    stopped = Recording.objects.filter(state=Recording.MEASURING)
    for recording in stopped:
        file_of(recording).unlink(missing_ok=True)
    stopped.update(state="", said="the worker stopped while measuring it; add it again")
    if Recording.objects.filter(state=Recording.WAITING).exists():
        measure_next()


def forget_files() -> None:
    """Takes files away whose recordings are gone."""
    known = set(Recording.objects.filter(state__gt="").values_list("pk", flat=True))
    folder = Path(settings.PRINTS) / "recordings"
    for path in folder.iterdir() if folder.is_dir() else ():
        if path.name.isdecimal() and int(path.name) not in known:
            path.unlink(missing_ok=True)
