"""The context of every page."""

from __future__ import annotations

import json

from django.http import HttpRequest

SHEETS = ("paper", "dark")
# Treatment of answers by htmx: refusals and conflicts have a text, so they are shown; server errors raise an event.
HTMX = {
    "includeIndicatorStyles": False,
    "allowEval": False,
    "historyEnabled": False,
    "defaultSettleDelay": 0,
    "attributesToSettle": ["class", "width", "height"],  # a style copied as an attribute is refused by our policy
    "timeout": 120_000,  # ms; what is asked next waits for it
    "responseHandling": [
        {"code": "204", "swap": False},
        *({"code": code, "swap": True} for code in ("[23]..", "403", "409", "422", "503")),
        {"code": "[45]..", "swap": False, "error": True},
    ],
}
HTMX_CONFIG = json.dumps(HTMX, separators=(",", ":"))


def page(request: HttpRequest) -> dict[str, str]:
    """The user's theme (empty follows the system), and the settings of htmx."""
    chosen = request.COOKIES.get("sheet", "")
    return {"sheet": chosen if chosen in SHEETS else "", "htmx_config": HTMX_CONFIG}
