"""Requests without a server."""

from __future__ import annotations

from typing import Any

import pytest


@pytest.fixture(autouse=True)
def static_files_on_demand(settings: Any) -> None:
    """Each client makes the middleware anew; listing all static files there is half the time of a short test."""
    settings.WHITENOISE_AUTOREFRESH = True
