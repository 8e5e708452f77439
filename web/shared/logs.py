"""The log: lines of JSON, with the number of the request and no personal data."""

from __future__ import annotations

import json
import logging
from datetime import UTC, datetime

from django.http import HttpRequest

FIELDS = ("request", "method", "view", "status", "ms")


def view_of(request: HttpRequest) -> str:
    """The name of the view that answers; nothing where there is none."""
    return request.resolver_match.view_name if request.resolver_match is not None else ""


class WithoutPaths(logging.Filter):
    """Replaces the path by the view in Django's messages about a request: links have their secret in the path."""

    def filter(self, record: logging.LogRecord) -> bool:
        request = getattr(record, "request", None)
        if isinstance(request, HttpRequest) and isinstance(record.args, tuple):
            view = view_of(request) or "no such address"
            record.args = tuple(view if arg == request.path else arg for arg in record.args)
        return True


class JsonLines(logging.Formatter):
    def format(self, record: logging.LogRecord) -> str:
        """One record as one line."""
        said = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "by": record.name,
            "says": record.getMessage(),
        }
        said |= {field: getattr(record, field) for field in FIELDS if hasattr(record, field)}
        if record.exc_info:
            said["trace"] = self.formatException(record.exc_info)
        return json.dumps(said)
