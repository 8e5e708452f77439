"""Late answers, to find tests and pages that do not wait for them (`make test-late`)."""

from __future__ import annotations

import os
import random
import time
from collections.abc import Callable

from django.conf import settings
from django.contrib.staticfiles import handlers
from django.http import HttpRequest, HttpResponse

LATE_MS = int(os.environ.get("LATTICE_TEST_LATE_MS", "0"))
FILES_AT_ONCE = 5  # a page has some thirty, a few behind each other


def _wait(most_ms: float) -> None:
    time.sleep(random.uniform(0, most_ms) / 1000)  # noqa: S311 - no secret


class LateFiles(handlers.StaticFilesHandler):
    """Scripts and styles are late as well: a page is used before its scripts are loaded."""

    def serve(self, request: HttpRequest) -> HttpResponse:
        _wait(LATE_MS / FILES_AT_ONCE)
        return super().serve(request)


class LateAnswers:
    """Delays each answer by up to LATE_MS; parallel requests are answered in any order."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.answer(request)
        _wait(LATE_MS)
        return answer


def hold_back() -> None:
    """All answers of the live server that is started next."""
    handlers.StaticFilesHandler = LateFiles  # type: ignore[misc]
    settings.MIDDLEWARE = [f"{LateAnswers.__module__}.{LateAnswers.__name__}", *settings.MIDDLEWARE]
