"""`manage.py serve`: the application on an address, and a worker beside it that is started again where it dies."""

from __future__ import annotations

import signal
import subprocess
import sys
from threading import Event, Thread
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.core.servers.basehttp import get_internal_wsgi_application

from web.running.connections import serve
from web.running.health import unmigrated

AROUND_A_FILE = 1024**2  # bytes of a form that sends one
AGAIN_AFTER_S = 2


class Command(BaseCommand):
    help = "Runs the web server and the background worker until it is stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--listen", default="127.0.0.1:8000", help="address and port")
        parser.add_argument(
            "--threads", type=int, default=3, help="threads; more are slower, since one computes at a time"
        )
        parser.add_argument("--no-worker", action="store_true", help="start no worker; `work` runs separately")

    def handle(self, *_args: Any, **options: Any) -> None:
        lacking = unmigrated()
        if lacking:
            raise CommandError(f"the database lacks {len(lacking)} migrations: run `migrate` first")
        signal.signal(signal.SIGTERM, lambda *_: sys.exit())  # so that the worker is stopped too
        call_command("collectstatic", interactive=False, verbosity=0, ignore_patterns=["django_htmx"])  # scripts unused
        believed = {
            "trusted_proxy": settings.PROXY, "trusted_proxy_count": 1, "clear_untrusted_proxy_headers": True,
            "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"},
        } if settings.PROXY else {}  # fmt: skip
        worker = None if options["no_worker"] else _Worker()
        try:
            serve(
                get_internal_wsgi_application(), listen=options["listen"], threads=options["threads"], ident=None,
                max_request_body_size=settings.LARGEST_FILE + AROUND_A_FILE, _quiet=True, **believed,
            )  # fmt: skip
        finally:
            if worker is not None:
                worker.stop()


class _Worker:
    """The worker as a process of its own, started again until it is stopped."""

    def __init__(self) -> None:
        self._stopped = Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = Thread(target=self._run, name="worker", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        while not self._stopped.is_set():
            command = [sys.executable, "-m", "django", "work"]
            with subprocess.Popen(command, stdout=subprocess.DEVNULL) as self._process:  # noqa: S603 - our own command
                self._process.wait()
            self._stopped.wait(AGAIN_AFTER_S)

    def stop(self) -> None:
        self._stopped.set()
        if self._process is not None:
            self._process.terminate()
        self._thread.join(timeout=10)
