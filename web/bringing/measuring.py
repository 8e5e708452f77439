"""Recordings in the browser: files are sent one by one and measured as they arrive; then their levels are taken."""

from __future__ import annotations

from pathlib import PurePath
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.bench.recordings import ENDINGS
from lattice.edits import apply, apply_steps
from lattice.edits.recordings import strips_called
from lattice.errors import DocumentError, EditError
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from lattice.model.names import slug
from web.accounts.signed_in import signed_in_user
from web.bringing import tasks
from web.bringing.models import Recording, Recordings
from web.bringing.services import LASTS, open_to
from web.editor.kept import kept
from web.editor.writes import base_of
from web.shared.bodies import takes_files
from web.shared.heartbeat import is_alive
from web.shelf import services
from web.shelf.access import template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace


def _own_or_404(request: HttpRequest, number: int) -> Recordings:
    since = timezone.now() - LASTS
    user = signed_in_user(request)
    known = Recordings.objects.select_related("into").filter(owner=user, created_at__gte=since)
    found = open_to(user, known.filter(pk=number).first())
    if found is None:
        raise Http404
    return found


@require_http_methods(["GET", "HEAD", "POST"])
def begin(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Where recordings are chosen; posting begins a new lot of them."""
    into = template_or_404(request, pk) if pk else None
    if request.method == "POST":
        Recordings.objects.filter(created_at__lt=timezone.now() - LASTS).delete()
        tasks.forget_files()
        made = Recordings.objects.create(owner=signed_in_user(request), into=into)
        return redirect("recordings", made.pk)
    return render(request, "bringing/recordings_begin.html", {"into": into})


@require_safe
def page(request: HttpRequest, number: int) -> HttpResponse:
    return render(request, "bringing/recordings.html", _shown(_own_or_404(request, number)))


@takes_files(settings.LARGEST_FILE)
@require_POST
def measured(request: HttpRequest, number: int) -> HttpResponse:
    """Puts one file by for the worker to measure; rows of all files with their figures so far."""
    of = _own_or_404(request, number)
    file = request.FILES.get("file")
    if file is None:
        return HttpResponse("no file was sent", status=422, content_type="text/plain")
    name = PurePath(str(file.name)).stem[:500]
    if (file.size or 0) > settings.LARGEST_FILE:
        size, most = (file.size or 0) / 1024**3, settings.LARGEST_FILE / 1024**3
        said = f"has {size:.1f} GiB (limit {most:g}). Use the command lattice sources for larger files."
        Recording.objects.update_or_create(of=of, name=name, defaults={**tasks.NOTHING, "said": said})
        return render(request, "bringing/recordings_body.html", _shown(of))
    fields = {**tasks.NOTHING, "said": "", "layout": "", "state": Recording.MEASURING}  # until the file is there
    recording, _is_new = Recording.objects.update_or_create(of=of, name=name, defaults=fields)
    try:
        tasks.put_by(recording, file)
    except (DocumentError, OSError) as wrong:
        recording.delete()
        return HttpResponse(str(wrong), status=422, content_type="text/plain")
    Recording.objects.filter(pk=recording.pk).update(state=Recording.WAITING)
    tasks.measure_next()
    return render(request, "bringing/recordings_body.html", _shown(of))


@require_safe
def body(request: HttpRequest, number: int) -> HttpResponse:
    """Figures of all files so far."""
    return render(request, "bringing/recordings_body.html", _shown(_own_or_404(request, number)))


def _shown(of: Recordings) -> dict[str, Any]:
    """Every recording with the strip it is of, and how many levels there are to take."""
    files = list(of.files.all())
    template = workspace(of.into).template if of.into else None
    called = strips_called(template, [one.name for one in files]) if template else {}
    names = {strip.id: strip.name for strip in template.strips} if template else {}
    rate = template.sample_rate_hz if template else None
    return {
        "of": of,
        "into": of.into,
        "rows": [
            (one, names.get(called.get(one.name, ""), ""), rate and one.rate_hz not in (0, rate)) for one in files
        ],
        "count": len(files),
        "waiting": sum(one.state != "" for one in files),
        "is_stuck": not is_alive(),
        "ready": sum(one.peak_dbfs is not None for one in files),
        "matched": sum(one.peak_dbfs is not None and one.name in called for one in files),
        "unmatched": sum(not one.said and one.name not in called for one in files),
        "playing": sorted({strip.name for strip in template.strips if strip.traits.plays}) if template else (),
        "sections": template.sections if template else (),
        "endings": ",".join(ENDINGS),
        "largest": settings.LARGEST_FILE,
    }


@require_POST
def keep(request: HttpRequest, number: int) -> HttpResponse:
    """Takes the levels into the strips that are named, and makes strips of the others where that is wanted."""
    of = _own_or_404(request, number)

    def work() -> StoredTemplate:
        stored = _kept(request, of, base_of(request))
        of.delete()
        tasks.forget_files()
        return stored

    def page(status: int, **said: Any) -> HttpResponse:
        return render(request, "bringing/recordings.html", {**_shown(of), **said}, status=status)

    return kept(work, page, "levels" if of.into else "map")


def _kept(request: HttpRequest, of: Recordings, base: int) -> StoredTemplate:
    user, files = signed_in_user(request), list(of.files.filter(layout__gt=""))
    if of.into is None:
        name = " ".join(request.POST.get("name", "").split())[:120] or "Recordings"
        return services.store(
            user, apply(Template(name=name), "add_recordings", {"recordings": list(map(_as_strip, files))})
        )
    services.based_on(of.into.pk, user, base)
    template = workspace(of.into).template
    known = {slug(strip.name): strip.id for strip in reversed(template.strips) if strip.traits.plays}
    levels, others = [], []
    for one in files:
        wanted = request.POST.get(f"strip-{one.pk}", "").strip()
        strip = known.get(slug(wanted)) if wanted else None
        if wanted and strip is None:
            raise EditError(f"{one.name}: no source has the name {wanted}")
        if strip is None:
            others.append(one)
        elif one.peak_dbfs is not None:
            levels.append({"strip": strip, "peak_dbfs": one.peak_dbfs, "rms_dbfs": one.rms_dbfs})
    steps = [EditStep("take_levels", {"levels": levels})] if levels else []
    if others and request.POST.get("add"):
        arguments = {"recordings": list(map(_as_strip, others)), "section": request.POST.get("section") or None}
        steps.append(EditStep("add_recordings", arguments))
    if not steps:
        raise EditError("No levels to apply: no recording has the name of a source.")
    label = f"Measured levels of {len(levels)} strip{'' if len(levels) == 1 else 's'}"
    label += f", {len(others)} added" if len(steps) > 1 or not levels else ""
    return services.change(of.into.pk, user, base, label, lambda there: apply_steps(there, steps))


def _as_strip(one: Recording) -> dict[str, Any]:
    levels = {} if one.peak_dbfs is None else {"peak_dbfs": one.peak_dbfs, "rms_dbfs": one.rms_dbfs}
    return {"name": one.name, "layout": one.layout, **levels}
