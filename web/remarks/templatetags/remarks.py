"""Open remarks, where their things are shown."""

from __future__ import annotations

import json

from django import template

from web.remarks.services import open_on, strips_with_open
from web.shelf.models import StoredTemplate

register = template.Library()


@register.simple_tag
def open_remarks(stored: StoredTemplate, kind: str, subject: str) -> int:
    """How many threads are open on a thing."""
    return open_on(stored)[kind, subject]


@register.simple_tag
def open_by_strip(stored: StoredTemplate) -> str:
    """How many are open on each strip and the routes that leave it, as JSON for the map."""
    return json.dumps(strips_with_open(stored))
