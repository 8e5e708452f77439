"""Prints of a programme in the browser: sent, measured, added up."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from lattice.bench.null_test import OCTAVES_HZ
from lattice.bench.recordings import ENDINGS
from lattice.errors import DocumentError
from web.accounts.signed_in import signed_in_user
from web.bench import services
from web.bench.models import Programme
from web.bench.views import bench_frame, take
from web.shared.bodies import takes_files
from web.shelf.access import may, template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

PLOT = (420, 80)  # px
TOP_LUFS, BOTTOM_LUFS = 0.0, -60.0


@require_safe
def programme_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _page(request, template_or_404(request, pk))


def _page(request: HttpRequest, stored: StoredTemplate, status: int = 200, **said: Any) -> HttpResponse:
    context = {**bench_frame(request, stored, "programme"), **_body(stored), **said}
    return render(request, "bench/programme.html", context, status=status)


def _body(stored: StoredTemplate) -> dict[str, Any]:
    programme = stored.programmes.first()
    context: dict[str, Any] = {
        "stored": stored,
        "programme": programme,
        "endings": ",".join(ENDINGS),
        "largest": settings.LARGEST_FILE,
    }
    if programme is None:
        return context
    if programme.state == Programme.GATHERING:
        context["files"] = [(path.name, path.stat().st_size) for path in programme.files]
    if programme.state == Programme.DONE:
        target = workspace(stored).template.profile.loudness_lufs
        context["prints"] = [_shown(one, target) for one in programme.content["prints"]]
        context["sets"] = [_set(one) for one in programme.content["sets"]]
        context["target"] = target
    return context


def _shown(one: dict[str, Any], target: float | None) -> dict[str, Any]:
    loudness = one["loudness"]
    line = loudness["short_term_lufs"] if loudness else []
    seconds = round(loudness["frames"] / loudness["sample_rate_hz"], 1) if loudness else None
    return {
        **one,
        "seconds": seconds,
        "plot": _plot(line, target) if any(value is not None for value in line) else None,
    }


def _plot(line: list[float | None], target: float | None) -> dict[str, Any]:
    """Short-term loudness over time, the target as a rule across."""
    width, height = PLOT
    step = width / max(len(line) - 1, 1)
    points = " ".join(f"{n * step:.1f},{_y(value):.1f}" for n, value in enumerate(line))
    return {"points": points, "target": None if target is None else round(_y(target), 1), "height": height}


def _y(lufs: float | None) -> float:
    value = BOTTOM_LUFS if lufs is None else min(max(lufs, BOTTOM_LUFS), TOP_LUFS)
    return (TOP_LUFS - value) / (TOP_LUFS - BOTTOM_LUFS) * PLOT[1]


def _set(one: dict[str, Any]) -> dict[str, Any]:
    left = one["left"]
    if not left:
        return one
    bands = [
        (f"{hz:g}" if hz < 1000 else f"{hz / 1000:g} k", level)
        for hz, level in zip(OCTAVES_HZ, left["octaves_db"], strict=True)
    ]
    return {**one, "bands": bands}


def _own_or_404(stored: StoredTemplate, number: int) -> Programme:
    found = stored.programmes.filter(pk=number).first()
    if found is None:
        raise Http404
    return found


@require_POST
def begin(request: HttpRequest, pk: int) -> HttpResponse:
    services.begin_programme(template_or_404(request, pk), signed_in_user(request))
    return redirect("programme", pk)


@takes_files(settings.LARGEST_FILE, may("edit"))
@require_POST
def take_file(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    refused = take(request, stored.programmes.filter(pk=number).first())
    return refused or render(request, "bench/programme_gathered.html", _body(stored))


@require_POST
def measure(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    try:
        services.measure(_own_or_404(stored, number))
    except DocumentError as wrong:
        return _page(request, stored, 422, problems=wrong.problems)
    return redirect("programme", pk)


@require_safe
def progress(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    _own_or_404(stored, number)
    return render(request, "bench/programme_body.html", _body(stored))


@require_POST
def cancel(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    one = _own_or_404(template_or_404(request, pk), number)
    one.cancel()
    one.forget_files()
    return redirect("programme", pk)
