"""The Bench page: kits, their readings, and the requirement of a release."""

from __future__ import annotations

import tempfile
from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from lattice.bench.faults import FAULTS
from lattice.bench.kit.package import CUE_HEADS, cue_rows, write_kit
from lattice.changes.digests import document_digest
from lattice.errors import DocumentError, EditError
from lattice.model.document import Template
from lattice.model.names import slug
from lattice.model.selectors import selectors_of
from lattice.model.strip_kinds import PLAYING
from web.bench import services
from web.bench.models import FilesJob, StoredKit
from web.bench.showing import spots
from web.editor.places.base import PLACES
from web.editor.presenting import frame
from web.shared.downloads import as_file
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

LARGEST_TAIL_MS = 10_000
MOST_SHOWN = 6
MOST_PLACES = 1500  # that the chooser of faults offers; others are typed


def kit_or_404(stored: StoredTemplate, number: int) -> StoredKit:
    found = stored.kits.filter(pk=number).first()
    if found is None:
        raise Http404
    return found


def bench_frame(request: HttpRequest, stored: StoredTemplate, tab: str) -> dict[str, Any]:
    """Common context of all pages of the bench."""
    return {**frame(request, stored), "place": "bench", "here": PLACES["bench"], "tab": tab}


@require_safe
def bench_page(request: HttpRequest, pk: int) -> HttpResponse:
    return bench(request, template_or_404(request, pk))


def bench(request: HttpRequest, stored: StoredTemplate, status: int = 200, **said: Any) -> HttpResponse:
    """Kits and readings; errors are shown above them."""
    context = bench_frame(request, stored, "prints")
    template = context["template"]
    digest = document_digest(template)
    kits = [(kit, kit.digest == digest, list(kit.readings.defer("content")[:MOST_SHOWN])) for kit in stored.kits.all()]
    newest = services.newest_reading(stored)
    context |= {
        "kits": kits,
        "players": [strip for strip in template.strips if strip.kind in PLAYING][:MOST_PLACES],
        "kit": kits[0][0] if kits else None,
        "faults": FAULTS,
        "fault_places": _places(template) if kits else (),
        "newest": newest,
        "is_current": newest is not None and newest.kit.digest == digest,
        "is_required": services.is_required(stored),
        "printed": sum(stem.print is not None for stem in template.stems),
        **said,
    }
    return render(request, "bench/bench.html", context, status=status)


def _places(template: Template) -> list[tuple[str, str]]:
    """(id, words) of where a fault may be put in: strips, routes, inserts, stems."""
    found = [(id, spot.name) for id, spot in spots(template).items()]
    found += [(stem.id, f"{stem.name}, {stem.role}") for stem in template.stems]
    return found[:MOST_PLACES]


@require_POST
def make_kit(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    try:
        tail_ms = _tail_ms(request.POST.get("tail_ms", "500"))
        services.make_kit(stored, _sources(workspace(stored).template, request.POST.get("sources", "")), tail_ms)
    except DocumentError as wrong:
        return bench(request, stored, 422, problems=wrong.problems)
    return redirect("bench", pk)


def _sources(template: Template, text: str) -> list[str]:
    """Selectors of a list of names; none for all. Raises EditError."""
    try:
        return selectors_of(template, text) if text.strip() else []
    except ValueError as wrong:
        raise EditError(f"for: {wrong}") from None


def _tail_ms(text: str) -> float:
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        value = -1.0
    if not 0 <= value <= LARGEST_TAIL_MS:
        raise EditError(f"“{text}” is not a tail; 0 to {LARGEST_TAIL_MS} ms are allowed")
    return value


@require_safe
def kit_zip(request: HttpRequest, pk: int, number: int) -> FileResponse:
    """The kit as a ZIP, created on request."""
    stored = template_or_404(request, pk)
    kept = kit_or_404(stored, number)
    made = tempfile.TemporaryFile()  # noqa: SIM115 - the answer closes it
    write_kit(services.kit_in(kept), services.template_of(kept), made)
    made.seek(0)
    return FileResponse(made, as_attachment=True, filename=f"{slug(stored.name)}-kit-{kept.pk}.zip")


@require_safe
def cue(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """The cue sheet as a PDF."""
    from django.template.loader import render_to_string  # noqa: PLC0415
    from weasyprint import HTML  # noqa: PLC0415 - takes half a second to load

    stored = template_or_404(request, pk)
    kept = kit_or_404(stored, number)
    kit, template = services.kit_in(kept), services.template_of(kept)
    heads = [head.replace("_", " ") for head in CUE_HEADS]
    rows = cue_rows(kit, template)
    html = render_to_string("papers/cue.html", {"kept": kept, "template": template, "heads": heads, "rows": rows})
    return as_file(HTML(string=html).write_pdf(), f"{slug(stored.name)}-cue.pdf", "application/pdf", is_shown=True)


@require_POST
def require(request: HttpRequest, pk: int) -> HttpResponse:
    """Return whether releases require a clean reading."""
    services.require(template_or_404(request, pk), wanted=request.POST.get("required") == "1")
    return redirect("bench", pk)


def take(request: HttpRequest, lot: FilesJob | None) -> HttpResponse | None:
    """Keeps one file that is sent; why it is not kept, where it is not."""
    file = request.FILES.get("file")
    if file is None:
        return HttpResponse("no file was sent", status=422, content_type="text/plain")
    if lot is None:
        raise Http404
    try:
        services.take_file(lot, file)
    except DocumentError as wrong:
        return HttpResponse(wrong.problems[0], status=422, content_type="text/plain")
    return None
