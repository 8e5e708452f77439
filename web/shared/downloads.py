"""Answers that are a file."""

from __future__ import annotations

from django.http import HttpResponse
from django.utils.http import content_disposition_header


def as_file(content: bytes | str, name: str, media_type: str, *, is_shown: bool = False) -> HttpResponse:
    """A file under its name: one to keep, or one that the browser shows where it can."""
    place = content_disposition_header(not is_shown, name) or "inline"
    return HttpResponse(content, content_type=media_type, headers={"Content-Disposition": place})
