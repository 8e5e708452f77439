"""What every page knows."""

from __future__ import annotations

from django.http import HttpRequest

SHEETS = ("paper", "dark")


def sheet(request: HttpRequest) -> dict[str, str]:
    """The sheet the person has chosen; empty follows the system."""
    chosen = request.COOKIES.get("sheet", "")
    return {"sheet": chosen if chosen in SHEETS else ""}
