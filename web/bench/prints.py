"""Readings: prints sent and read, the result, its answers, and the fix list."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from lattice.bench.prints.files import match
from lattice.bench.prints.model import printed
from lattice.bench.prints.verdict import stem_names
from lattice.bench.recordings import ENDINGS
from lattice.errors import DocumentError
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.names import slug
from web.accounts.signed_in import signed_in_user
from web.bench import services
from web.bench.models import Reading
from web.bench.showing import Spot, grid, spots
from web.bench.views import bench, bench_frame, kit_or_404, take
from web.editor.writes import base_of
from web.shared.bodies import takes_files
from web.shared.downloads import as_file
from web.shelf.access import may, template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.services import StaleVersionError
from web.shelf.workspace import workspace

READING = ".json"  # a reading that was made elsewhere
ANSWERS = ("", "session", "done")
MOST_GRID = 400  # sources that the grid shows


@dataclass(frozen=True)
class Shown:
    """One matter as the page has it."""

    number: int
    severity: str
    findings: list[dict[str, Any]]
    suspects: list[tuple[str, str, str]]  # id, name, address
    answer: str
    edit: str  # the words of “the map is wrong”; empty where nothing would say so
    why_not: str


def reading_or_404(stored: StoredTemplate, number: int) -> Reading:
    found: Reading = get_object_or_404(Reading.objects.select_related("kit__template"), kit__template=stored, pk=number)
    return found


@require_POST
def begin(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """A lot of prints of a kit."""
    reading = services.begin_reading(kit_or_404(template_or_404(request, pk), number), signed_in_user(request))
    return redirect("reading", pk, reading.pk)


@require_POST
def stand_in(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    faults = request.POST.get("faults", "").split()
    try:
        reading = services.stand_in(kit_or_404(stored, number), signed_in_user(request), faults)
    except DocumentError as wrong:
        return bench(request, stored, 422, problems=wrong.problems, typed=" ".join(faults))
    return redirect("reading", pk, reading.pk)


@require_safe
def reading_page(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    return _page(request, stored, reading_or_404(stored, number))


def _page(
    request: HttpRequest, stored: StoredTemplate, reading: Reading, status: int = 200, **said: Any
) -> HttpResponse:
    context = {**bench_frame(request, stored, "prints"), "reading": reading, **_body(stored, reading), **said}
    return render(request, "bench/reading.html", context, status=status)


def _body(stored: StoredTemplate, reading: Reading) -> dict[str, Any]:
    """The page below the head: uploaded files, progress, or the result."""
    if reading.state == Reading.GATHERING:
        return _gathering(reading)
    if reading.state != Reading.DONE:
        return {}
    then = services.template_of(reading.kit)
    return {
        "matters": _matters(stored, then, reading),
        "summary_read": reading.content["summary"],
        "prints": _prints(reading, stem_names(then)),
        "grid": grid(reading.content, then, MOST_GRID),
        "unmatched": reading.content.get("unmatched", {}),
        "is_current": reading.kit.version == stored.version,
    }


def _matters(stored: StoredTemplate, then: Template, reading: Reading) -> list[Shown]:
    known = spots(then)
    return [_shown(stored, known, reading, rows) for rows in services.findings_of(reading)]


def _gathering(reading: Reading) -> dict[str, Any]:
    template = services.template_of(reading.kit)
    graph = SignalGraph(template)
    stems, files = list(services.stems_of(reading.kit)), reading.files
    audio = [path for path in files if path.suffix.lower() != READING]
    matched = match(graph, printed(graph), audio, reading.assigned)
    of = {path.name: stem for stem, one in matched.prints.items() for path in one.paths}
    return {
        "files": [
            (path.name, path.stat().st_size, of.get(path.name, ""), matched.unmatched.get(path.name, ""))
            for path in files
        ],
        "stems": stems,
        "lacking": [name for stem, name in stems if stem not in matched.prints] if len(audio) == len(files) else [],
        "endings": ",".join((*ENDINGS, ".json")),
        "used": services.used_bytes(reading.by),
        "room": settings.PRINTS_QUOTA,
        "largest": settings.LARGEST_FILE,
    }


def _shown(stored: StoredTemplate, known: dict[str, Spot], reading: Reading, rows: list[dict[str, Any]]) -> Shown:
    number = rows[0]["matter"]
    edit, why_not = "", ""
    try:
        edit = services.map_edit(workspace(stored).template, rows)[0]
    except DocumentError as wrong:
        why_not = wrong.problems[0]
    worst = min((row["severity"] for row in rows), key=("blocker", "warning", "note").index)
    there = [(one, known.get(one, Spot(one, ""))) for one in rows[0]["suspects"]]
    place = reverse("map", args=[stored.pk])
    suspects = [(one, spot.name, f"{place}?strip={spot.strip}") for one, spot in there]
    return Shown(number, worst, rows, suspects, reading.answers.get(str(number), ""), edit, why_not)


def _prints(reading: Reading, names: dict[str, str]) -> list[dict[str, Any]]:
    return [{**one, "name": names.get(one["stem"], one["stem"])} for one in reading.content["prints"]]


@takes_files(settings.LARGEST_FILE, may("edit"))
@require_POST
def take_file(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """One uploaded print; the answer is the list so far."""
    stored = template_or_404(request, pk)
    reading = reading_or_404(stored, number)
    refused = take(request, reading)
    if refused:
        return refused
    return render(request, "bench/gathered.html", {"stored": stored, "reading": reading, **_gathering(reading)})


@require_POST
def read(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Start the reading of the prints, with the user's choices for files."""
    stored = template_or_404(request, pk)
    reading = reading_or_404(stored, number)
    assigned = {name.removeprefix("of-"): request.POST[name] for name in request.POST if name.startswith("of-")}
    try:
        services.read(reading, assigned, keeps_files=request.POST.get("keep") == "1")
    except DocumentError as wrong:
        return _page(request, stored, reading, 422, problems=wrong.problems)
    return redirect("reading", pk, number)


@require_safe
def progress(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    reading = reading_or_404(stored, number)
    return render(request, "bench/reading_body.html", {"stored": stored, "reading": reading, **_body(stored, reading)})


@require_POST
def cancel(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    reading = reading_or_404(template_or_404(request, pk), number)
    reading.cancel()
    reading.forget_files()
    return redirect("bench", pk)


@require_POST
def forget(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Takes a reading off the bench, with its files."""
    reading_or_404(template_or_404(request, pk), number).delete()
    return redirect("bench", pk)


@require_POST
def answer(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """“Correct the session”: a line of the fix list, checked off when done."""
    reading = reading_or_404(template_or_404(request, pk, "answer"), number)
    said, matter = request.POST.get("said", ""), request.POST.get("matter", "")
    if said not in ANSWERS or not matter.isdecimal():
        raise Http404
    services.answer(reading, int(matter), said)
    return redirect(reverse("reading", args=[pk, number]) + f"#matter-{matter}")


@require_POST
def put_into_map(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """“Correct the map”: apply the measured value to the model, as one edit."""
    stored = template_or_404(request, pk)
    reading = reading_or_404(stored, number)
    matter = request.POST.get("matter", "")
    try:
        services.put_into_map(
            stored, signed_in_user(request), base_of(request), reading, int(matter) if matter.isdecimal() else 0
        )
    except StaleVersionError as stale:
        stored = template_or_404(request, pk)
        return _page(request, stored, reading, 409, is_stale=True, since=stale.since[-6:])
    except DocumentError as wrong:
        return _page(request, stored, reading, 422, problems=wrong.problems)
    return redirect(reverse("reading", args=[pk, number]) + f"#matter-{matter}")


@require_safe
def fixes(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """The fix list for printing: the faults of the session, and their suspects."""
    stored = template_or_404(request, pk)
    reading = reading_or_404(stored, number)
    matters = _matters(stored, services.template_of(reading.kit), reading)
    lines = [one for one in matters if one.answer in ("session", "done")]
    return render(request, "bench/fixes.html", {"stored": stored, "reading": reading, "lines": lines})


@require_safe
def as_json(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    reading = reading_or_404(stored, number)
    if reading.state != Reading.DONE:
        raise Http404
    name = f"{slug(stored.name)}-reading-{number}.json"
    return as_file(services.reading_json(reading), name, "application/json")
