"""Return whether the worker is alive: it touches a file every few seconds."""

from __future__ import annotations

from threading import Event, Thread
from time import time

from django.conf import settings

BEATS_EVERY_S = 5
DEAD_AFTER_S = 30


def beat() -> None:
    """Touch the worker's heartbeat file."""
    settings.HEARTBEAT.touch()


def keep_beating(stopped: Event) -> Thread:
    """Beats beside the work until `stopped`."""

    def beating() -> None:
        beat()
        while not stopped.wait(BEATS_EVERY_S):
            beat()

    thread = Thread(target=beating, name="heartbeat", daemon=True)
    thread.start()
    return thread


def silent_s() -> float | None:
    """Seconds since the worker's last heartbeat; None if it never had one."""
    try:
        return abs(time() - settings.HEARTBEAT.stat().st_mtime)  # ahead of us only where the clock was put back
    except OSError:
        return None


def is_alive() -> bool:
    """Return whether jobs will run. If they run within the request, they always do."""
    silent = silent_s()
    return settings.JOBS_AT_ONCE or (silent is not None and silent < DEAD_AFTER_S)
