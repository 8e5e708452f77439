"""The chooser of views below the map."""

from __future__ import annotations

import json
from typing import Any

from lattice.model.document import MapView
from web.shelf.models import StoredTemplate


def view_choices(stored: StoredTemplate, views: tuple[MapView, ...]) -> dict[str, Any]:
    """The views for the chooser below the map, with what the browser applies itself: position and theme."""
    own = stored.map_view
    shown = [
        {"key": key, "name": view.name, "look": json.dumps({"at": view.at, "dark": view.dark})}
        for key, view in enumerate(views, start=1)
    ]
    name = own.name if own is not None and any(view.name == own.name for view in views) else ""  # it may be gone
    is_own = own is not None and not name and bool(own.hidden_kinds or own.hidden_routes)
    return {"map_views": shown, "map_view": name, "is_own_view": is_own}
