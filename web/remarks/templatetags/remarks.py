"""Remarks, where their things are shown and where people learn of them."""

from __future__ import annotations

import json

from django import template
from django.contrib.auth.models import User

from web.remarks.services import Said, open_on, said_since, strips_with_open
from web.shelf.models import StoredTemplate

register = template.Library()


@register.simple_tag
def open_remarks(stored: StoredTemplate, kind: str, subject: str) -> int:
    """How many threads are open on a thing."""
    return open_on(stored)[kind, subject]


@register.simple_tag
def open_by_strip(stored: StoredTemplate) -> str:
    """The number of open threads on each strip and its outgoing routes, as JSON for the map."""
    return json.dumps(strips_with_open(stored))


@register.simple_tag
def said_by_others(stored: StoredTemplate, remarked: int, user: User, most: int) -> list[Said]:
    """Others' comments since the last update of the page."""
    return said_since(stored, remarked, user, most) if stored.remarked > remarked else []
