"""Routes: connect, change, remove."""

from __future__ import annotations

from typing import Any

from django.http import QueryDict

from lattice.model.document import Route, Strip, Template
from lattice.model.edit_step import EditStep
from web.editor.fields import ROUTE_FIELDS, changes_of, named, one, words_of
from web.editor.writers.common import Written


def connect(data: QueryDict, template: Template) -> Written:
    """A new route between two strips."""
    start: Strip = named(template.strips, one(data, "from").partition("/")[0], "strip")
    end: Strip = named(template.strips, one(data, "to"), "strip")
    kind = data.get("kind") or "feed"
    route: dict[str, Any] = {"kind": kind, "from": start.id, "to": end.id}
    if outlet := one(data, "from").partition("/")[2] or data.get("from_outlet"):
        route["from_outlet"] = outlet
    if data.get("to_insert"):
        route["to_insert"] = data["to_insert"]
    if any(field in data for field in ROUTE_FIELDS):
        route |= changes_of(data, ROUTE_FIELDS, template)
    if kind != "send" and not data.get("gain_db"):
        route.pop("gain_db", None)
    return f"{kind} {start.name} → {end.name}", [EditStep("add_route", {"route": route})]


def change_route(data: QueryDict, template: Template) -> Written:
    route: Route = named(template.routes, one(data, "route"), "route")
    changes = changes_of(data, ROUTE_FIELDS, template)
    return f"{_route_name(route, template)}: {words_of(changes)}", [
        EditStep("change_route", {"route": route.id, "changes": changes})
    ]


def remove_route(data: QueryDict, template: Template) -> Written:
    route: Route = named(template.routes, one(data, "route"), "route")
    return f"Remove {_route_name(route, template)}", [EditStep("remove_routes", {"routes": [route.id]})]


def _route_name(route: Route, template: Template) -> str:
    names = {strip.id: strip.name for strip in template.strips}
    return f"{route.kind} {names[route.from_strip]} → {names[route.to]}"
