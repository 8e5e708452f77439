"""Pages that preview a derived template, and save it: as one edit, or as a variant."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from lattice.edits.change_layout import LAYOUTS
from lattice.errors import DocumentError, EditError
from lattice.model.document import Template
from web.accounts.signed_in import signed_in_user
from web.editor.kept import asked_of, kept
from web.editor.picture import pictured
from web.editor.writes import base_of
from web.reuse import making
from web.reuse.making import Making
from web.shelf import services
from web.shelf.access import seen_by, template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

Maker = Callable[[Template, QueryDict], Making | None]


def _shown(stored: StoredTemplate, asked: QueryDict, maker: Maker, **more: Any) -> dict[str, Any]:
    """The derived template of an address, with its map beside the current one; or the reason for none."""
    space = workspace(stored)
    context: dict[str, Any] = {"stored": stored, "into": stored, "there": space.template, **more}
    try:
        made = maker(space.template, asked)
    except DocumentError as wrong:
        return {**context, "refused": wrong.problems}
    if made is None:
        return context
    picture = pictured(made.template, space)
    return {
        **context,
        **picture,
        "making": made,
        "differs": made.extra.get("differs", ()),
        "levels": making.level_rows(space, picture["space"]),
        "latency_now": space.analysis.arrivals.total_samples or 0,
        "latency_then": picture["latency"] or 0,
        "query": asked.urlencode(),
    }


def _kept(request: HttpRequest, pk: int, maker: Maker, page: Callable[..., HttpResponse]) -> HttpResponse:
    """Save the preview: as a variant under a name, or as one edit."""
    stored, user = template_or_404(request, pk), signed_in_user(request)

    def work() -> StoredTemplate:
        base = base_of(request)
        services.based_on(pk, user, base)
        made = maker(workspace(stored).template, request.POST)
        if made is None:
            raise EditError("choose something first")
        if request.POST.get("as") == "variant":
            variant = making.as_variant(made.template, request.POST.get("name", ""))
            return services.store_variant(stored, user, variant)
        return services.change(pk, user, base, made.label, lambda _there: made.template)

    return kept(work, partial(page, request, pk))


# cut down


@require_safe
def cut_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _cut(request, pk)


def _cut(request: HttpRequest, pk: int, status: int = 200, **said_: Any) -> HttpResponse:
    stored = template_or_404(request, pk)
    asked = asked_of(request)
    template = workspace(stored).template
    more = {
        "chosen_sections": asked.getlist("section"),
        "strips": " ".join(asked.getlist("strips")),
        "sections": template.sections,
    }
    return render(request, "reuse/cut.html", _shown(stored, asked, making.cut_down, **more) | said_, status=status)


@require_POST
def keep_cut(request: HttpRequest, pk: int) -> HttpResponse:
    return _kept(request, pk, making.cut_down, _cut)


# another layout


@require_safe
def layout_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _layout(request, pk)


def _layout(request: HttpRequest, pk: int, status: int = 200, **said_: Any) -> HttpResponse:
    stored = template_or_404(request, pk)
    asked = asked_of(request)
    template = workspace(stored).template
    before, after = making.layouts_asked(template, asked)
    more = {
        "before": before,
        "after": after,
        "panners": bool(asked.get("panners")),
        "layouts": LAYOUTS,
        "candidates": making.candidates(template, before, asked),
    }
    return render(request, "reuse/layout.html", _shown(stored, asked, making.in_layout, **more) | said_, status=status)


@require_POST
def keep_layout(request: HttpRequest, pk: int) -> HttpResponse:
    return _kept(request, pk, making.in_layout, _layout)


# variants


@require_safe
def carry_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _carry(request, pk)


def _carry(request: HttpRequest, pk: int, status: int = 200, **said_: Any) -> HttpResponse:
    """The changes of the original of this variant, selectable; the address has the inverted ones."""
    stored = template_or_404(request, pk)
    came_from = seen_by(signed_in_user(request), stored.variant_of)
    if came_from is None:
        raise Http404
    space, origin = workspace(stored), workspace(came_from)
    context: dict[str, Any] = {"stored": stored, "into": stored, "origin": came_from}
    try:
        found, listed = making.changes_of_origin(stored, space, origin)
    except DocumentError as wrong:
        return render(request, "reuse/carry.html", {**context, "refused": wrong.problems, **said_}, status=status)
    asked = asked_of(request)
    context |= making.ticked_rows(space, found.template, listed, found.gone, asked)
    return render(request, "reuse/carry.html", context | said_, status=status)


@require_POST
def keep_carried(request: HttpRequest, pk: int) -> HttpResponse:
    """Apply the selected changes, as one edit; from then on both are equal in what was offered."""
    stored, user = template_or_404(request, pk), signed_in_user(request)
    origin = seen_by(user, stored.variant_of)
    if origin is None:
        raise Http404
    keys = request.POST.getlist("key")

    def work() -> StoredTemplate:
        base = base_of(request)
        services.based_on(pk, user, base)
        after = making.carry_over(stored, workspace(stored), workspace(origin), keys)
        label = f"Update from {origin.name}: {len(keys)} change{'' if len(keys) == 1 else 's'}"
        changed = services.change(pk, user, base, label, lambda _there: after)
        StoredTemplate.objects.filter(pk=pk).update(variant_base=bytes(origin.head))
        return changed

    return kept(work, partial(_carry, request, pk))
