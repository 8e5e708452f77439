"""Views of the map for stages of work: the panel, and writes of the user's map and of the template's views."""

from __future__ import annotations

from typing import get_args

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from lattice.errors import DocumentError
from lattice.model.document import MapView
from lattice.model.edit_step import EditStep
from lattice.model.route_kinds import RouteKind
from lattice.model.strip_kinds import TRAITS
from lattice.model.views import view_named, views_of
from web.accounts.signed_in import signed_in_user
from web.editor.map_look import view_choices
from web.editor.writes import base_of, changed, refused, written
from web.shelf import services
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.sheets import folded_of, hidden_of
from web.shelf.workspace import workspace

ROUTE_KINDS = get_args(RouteKind)


@require_safe
def views_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The views, and the kinds of strips and routes that the user's map shows."""
    stored = template_or_404(request, pk)
    space = workspace(stored)
    hidden, views = hidden_of(stored), views_of(space.template)
    there = {strip.kind for strip in space.template.strips}
    routes = {route.kind for route in space.template.routes}
    context = {
        "stored": stored,
        "views": [(key, view, _words(view)) for key, view in enumerate(views, start=1)],
        "kinds": [(kind, kind not in hidden.kinds) for kind in TRAITS if kind in there],
        "route_kinds": [(kind, kind not in hidden.routes) for kind in ROUTE_KINDS if kind in routes],
    }
    return render(request, "editor/panel_views.html", context | view_choices(stored, views))


def _words(view: MapView) -> str:
    """“2 sections collapsed; without midi strips, key routes”."""
    many = len(view.folded)
    folded = [f"{many} section{'s' if many > 1 else ''} collapsed"] if many else []
    without = [f"{kind} strips" for kind in view.hidden_kinds] + [f"{kind} routes" for kind in view.hidden_routes]
    return "; ".join([*folded, *([f"without {', '.join(without)}"] if without else [])]) or "everything"


@require_POST
def show(request: HttpRequest, pk: int) -> HttpResponse:
    """Show a view on the user's map, by its name or key; an empty name is the initial view."""
    stored = template_or_404(request, pk, "look")
    name = request.POST.get("view", "").strip()
    view = view_named(workspace(stored).template, name)
    if name and view is None:
        return refused(request, DocumentError([f"view {name} does not exist; it may have been removed"]))
    services.show_view(stored, signed_in_user(request), view)
    return changed(request, stored, is_asked=False)


@require_POST
def hide(request: HttpRequest, pk: int) -> HttpResponse:
    """Hide kinds of strips and routes on the user's map."""
    stored = template_or_404(request, pk, "look")
    kinds = set(request.POST.get("kinds", "").split()) & set(TRAITS)
    routes = set(request.POST.get("routes", "").split()) & set(ROUTE_KINDS)
    services.hide(stored, signed_in_user(request), kinds, routes)
    return changed(request, stored, is_asked=False)


@require_POST
def keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep the user's map as a view of the template."""

    def work(stored: StoredTemplate) -> StoredTemplate:
        space, hidden = workspace(stored), hidden_of(stored)
        name = " ".join(request.POST.get("name", "").split())
        view = {
            "folded": sorted(folded_of(stored, space)), "hidden_kinds": sorted(hidden.kinds),
            "hidden_routes": sorted(hidden.routes), "at": _position(request.POST.get("at", "")),
            "dark": {"dark": True, "paper": False}.get(request.POST.get("sheet", "")),
        }  # fmt: skip
        step = EditStep("keep_view", {"name": name, "view": view})
        stored = services.edit(pk, signed_in_user(request), base_of(request), f"View {name}", [step])
        services.show_view(stored, signed_in_user(request), view_named(workspace(stored).template, name))
        return stored

    return written(request, pk, work)


def _position(text: str) -> list[float] | None:
    """x, y and scale; None where they are not three numbers."""
    try:
        x, y, scale = map(float, text.split())
    except ValueError:
        return None
    return [x, y, scale]
