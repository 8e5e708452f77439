"""Answers that come late, to find tests and pages that do not wait for them (`make test-late`)."""

from __future__ import annotations

import os
import random
import time
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

LATE_MS = int(os.environ.get("LATTICE_TEST_LATE_MS", "0"))


class LateAnswers:
    """Holds each answer back by up to LATE_MS; what is asked side by side comes in any order."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.answer(request)
        time.sleep(random.uniform(0, LATE_MS) / 1000)  # noqa: S311 - no secret
        return answer
