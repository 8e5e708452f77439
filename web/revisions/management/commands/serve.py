"""`manage.py serve`: the application on an address, and the worker that makes release packs beside it."""

from __future__ import annotations

import signal
import subprocess
import sys
from typing import Any

import waitress
from django.core.management.base import BaseCommand, CommandParser
from django.core.servers.basehttp import get_internal_wsgi_application

LARGEST_BODY = 2 * 1024**3 + 1024**2  # one recording, and what stands around it


class Command(BaseCommand):
    help = "Serves the application, and makes release packs as they are asked for, until it is stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--listen", default="127.0.0.1:8000", help="address and port")
        parser.add_argument("--threads", type=int, default=6)

    def handle(self, *_args: Any, **options: Any) -> None:
        signal.signal(signal.SIGTERM, lambda *_: sys.exit())  # so that the worker is stopped too
        application = get_internal_wsgi_application()
        with subprocess.Popen([sys.executable, "-m", "django", "work"], stdout=subprocess.DEVNULL) as worker:
            try:
                waitress.serve(
                    application,
                    listen=options["listen"],
                    threads=options["threads"],
                    max_request_body_size=LARGEST_BODY,
                    _quiet=True,
                )
            finally:
                worker.terminate()
