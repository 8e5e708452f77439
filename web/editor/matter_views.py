"""Requests about issues: further rows, content of one, effect of a fix, consequences."""

from __future__ import annotations

from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.gzip import gzip_page
from django.views.decorators.http import require_POST, require_safe

from lattice.drawing import Sheet
from lattice.matters.effect import effect_of
from web.editor.lists import Table
from web.editor.matter_lists import matters_list
from web.editor.matters import contents, offered, row_of
from web.editor.presenting import frame, strips_table, wires_table
from web.editor.strip_cells import cells_table
from web.editor.writes import base_of, changed
from web.shared.numbers import number_of
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.sheets import map_of
from web.shelf.workspace import Workspace, workspace

TABLES: dict[str, Callable[[Workspace, Sheet], Table]] = {
    "strips": strips_table,
    "cells": cells_table,
    "wires": wires_table,
}


@require_safe
def further_rows(request: HttpRequest, pk: int) -> HttpResponse:
    """Issues under the filters of the address, from `start` on."""
    context = frame(request, template_or_404(request, pk))
    start = max(0, number_of(request.GET.get("start", ""), 0))
    return HttpResponse(matters_list(request, context, start=start).html)


@require_safe
def matter(request: HttpRequest, pk: int, key: str) -> HttpResponse:
    """The content of an expanded issue; a hundred of its findings from `start` on."""
    stored = template_or_404(request, pk)
    space = workspace(stored)
    row = row_of(space, key, map_of(stored, space).sheet)
    if row is None:
        raise Http404
    start = max(0, number_of(request.GET.get("start", ""), 0))
    page = "editor/matter_findings.html" if start else "editor/matter_more.html"
    return render(request, page, {"stored": stored, **contents(row, start)})


@require_safe
def effect(request: HttpRequest, pk: int, fingerprint: str, key: str) -> HttpResponse:
    """The effect of a fix, in full: findings, levels, latency. Costs an audit."""
    stored = template_or_404(request, pk)
    space = workspace(stored)
    remedy = next((remedy for _one, remedy in offered(space, fingerprint) if remedy.key == key), None)
    found = effect_of(space, remedy) if remedy is not None else None
    return render(request, "editor/effect.html", {"stored": stored, "effect": found})


@require_POST
def follow(request: HttpRequest, pk: int) -> HttpResponse:
    """Compute the consequences of each issue and the effects of fixes; answers with the changes on the page."""
    stored = template_or_404(request, pk, "look")
    workspace(stored).follow()
    now = StoredTemplate.objects.filter(pk=pk).values_list("version", flat=True).first()
    if now != base_of(request) or now != stored.version:
        return HttpResponse(status=204)  # the page shows another version, whose answer brings its own, or it is gone
    return changed(request, stored, is_asked=False)


@require_safe
@gzip_page  # thousands of rows, and no secret in them
def table(request: HttpRequest, pk: int, name: str) -> HttpResponse:
    """Records for the scripts of a page, fetched once it is loaded."""
    stored = template_or_404(request, pk)
    if name not in TABLES:
        raise Http404
    space = workspace(stored)
    return JsonResponse(TABLES[name](space, map_of(stored, space).sheet).whole())
