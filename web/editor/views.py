"""Pages and fragments of one template: reading only."""

from __future__ import annotations

from typing import Any, get_args

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from lattice.errors import DocumentError
from lattice.model import document
from lattice.model.layouts import NAMED
from lattice.model.strip_kinds import DESTINATIONS
from lattice.trace import MOST_PATHS, HopFigures, hop_words, sentence, trace
from web.editor import connections, crosspoints
from web.editor.delivery import delivery_place
from web.editor.hygiene import hygiene_place
from web.editor.inventory import inventory_place
from web.editor.ledger import ledger_place
from web.editor.level_chart import levels_place
from web.editor.presenting import as_data, by_family, finder_context, frame, map_context, strip_context
from web.editor.strip_sheet import by_section, strip_sheet
from web.editor.time_chart import timing_place
from web.editor.what_if import awake_beside
from web.shelf.access import own_template_or_404
from web.shelf.models import KeptInventory, KeptProfile
from web.shelf.workspace import Workspace, workspace

CHOICES = {
    "kinds": get_args(document.StripKind),
    "layouts": (*NAMED, "discrete:2", "discrete:4", "discrete:8", "discrete:16"),
    "monitors": ("never", "when-armed", "always"),
    "taps": get_args(document.Tap),
    "insert_types": get_args(document.InsertType),
    "insert_states": ("on", "bypassed", "unloaded"),
    "insert_keys": ("none", "internal", "external"),
    "records": ("in", "pre"),
    "known_tags": document.KNOWN_TAGS,
}
SHOWN_PATHS = 12


@require_safe
def map_page(request: HttpRequest, pk: int) -> HttpResponse:
    context = frame(own_template_or_404(request, pk))
    context |= map_context(request, context) | CHOICES
    context["place"] = "map"
    context |= chosen(request, context["space"])
    return render(request, "editor/map.html", context)


def chosen(request: HttpRequest, space: Workspace) -> dict[str, Any]:
    """The strip, section or finding that a deep link names; unknown ones are left out."""
    index = space.graph.index
    many = request.GET.get("strips") or request.POST.get("chosen_strips")
    if many:
        chosen_many = selection_context(many, space)
        if chosen_many["chosen_strips"]:
            return {"panel": "selection", **chosen_many}
    strip = request.GET.get("strip") or request.POST.get("chosen_strip")
    if strip in index:
        return {"panel": "strip", **strip_context(space, space.template.strips[index[strip]])}
    section = next((s for s in space.template.sections if s.id == request.GET.get("section")), None)
    if section is not None:
        return {"panel": "section", "section": section, **_section_context(space)}
    return {"panel": "findings", "chosen_finding": request.GET.get("finding", "")}


@require_safe
def place_page(request: HttpRequest, pk: int, place: str) -> HttpResponse:
    """One of the places that are read as a page: its frame, and the body that writes bring anew."""
    context = frame(own_template_or_404(request, pk))
    context |= place_context(request, context, place) | {"place": place, **finder_context(context)}
    return render(request, "editor/place.html", context)


def place_context(request: HttpRequest, context: dict[str, Any], place: str) -> dict[str, Any]:
    """What the body of a place shows."""
    here = {"strip": wanted(request, "strip"), "body": f"editor/{place}_body.html"}
    return here | PLACES[place](request, context)


def wanted(request: HttpRequest, name: str) -> str:
    """What the address of the page names, for a page and for a write on it."""
    return request.GET.get(name) or request.POST.get(f"chosen_{name}") or ""


def _findings(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    severity = wanted(request, "severity")
    reasons = {waiver.fingerprint: waiver for waiver in context["template"].waivers}
    waived = [(f, reasons[f.fingerprint]) for f in context["space"].audit.findings if f.waived]
    shown = {"families": by_family(context["findings"], severity), "severity": severity, "waived": waived}
    return shown | ({"awake": awake_beside(context["space"])} if wanted(request, "awake") else {})


def _keys(_request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    return {"rows": connections.keys(context["space"])}


def _ports(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    template = context["template"]
    return {
        "instruments": connections.instruments(template, wanted(request, "strips")),
        "machines": connections.machines(template),
        "ties": connections.ties(template),
        "machine_kinds": ("computer", "outboard"),
    }


def _strip(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    space = context["space"]
    number = space.graph.index.get(wanted(request, "strip"))
    if number is None:
        return {"strip": "", "sections": by_section(space.template)}
    return strip_sheet(space, number) | CHOICES


def _levels(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    return levels_place(context["space"], *(wanted(request, name) for name in ("strip", "to", "at")))


def _delivery(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    return delivery_place(context["template"], KeptProfile.objects.filter(owner=request.user))


def _timing(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    return timing_place(context["space"], wanted(request, "section"))


def _stems(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    named = (wanted(request, name) for name in ("set", "only", "section"))
    return ledger_place(context["space"], *named) | CHOICES


def _hygiene(_request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    return hygiene_place(context["space"], context["findings"])


def _inventory(request: HttpRequest, context: dict[str, Any]) -> dict[str, Any]:
    kept = KeptInventory.objects.filter(owner=request.user)
    return inventory_place(context["template"], kept, wanted(request, "of"))


PLACES = {
    "findings": _findings, "keys": _keys, "ports": _ports, "strip": _strip, "levels": _levels, "timing": _timing,
    "delivery": _delivery, "stems": _stems, "hygiene": _hygiene, "inventory": _inventory,
}  # fmt: skip


@require_safe
def crosspoints_page(request: HttpRequest, pk: int) -> HttpResponse:
    context = frame(own_template_or_404(request, pk))
    context |= crosspoints_context(context["space"], request.GET.get("kind", ""))
    context |= {"place": "crosspoints", "taps": CHOICES["taps"], **finder_context(context)}
    return render(request, "editor/crosspoints.html", context)


def crosspoints_context(space: Workspace, kind: str) -> dict[str, Any]:
    kind = kind if kind in crosspoints.KINDS else "sound"
    return {"kind": kind, "kinds": crosspoints.KINDS, "grid": as_data(crosspoints.grid(space.graph, kind))}


@require_safe
def findings_panel(request: HttpRequest, pk: int) -> HttpResponse:
    return render(request, "editor/panel_findings.html", frame(own_template_or_404(request, pk)))


@require_safe
def strip_panel(request: HttpRequest, pk: int, strip: str) -> HttpResponse:
    stored = own_template_or_404(request, pk)
    space = workspace(stored)
    if strip not in space.graph.index:
        raise Http404
    context = {"stored": stored, "template": space.template}
    context |= strip_context(space, space.template.strips[space.graph.index[strip]])
    return render(request, "editor/panel_strip.html", context | CHOICES)


def _section_context(space: Workspace) -> dict[str, Any]:
    buses = [strip for strip in space.template.strips if strip.kind in ("bus", "master")]
    return {"buses": buses, **CHOICES}


@require_safe
def section_panel(request: HttpRequest, pk: int, section: str) -> HttpResponse:
    stored = own_template_or_404(request, pk)
    space = workspace(stored)
    found = next((known for known in space.template.sections if known.id == section), None)
    if found is None:
        raise Http404
    context = {"stored": stored, "template": space.template, "section": found, **_section_context(space)}
    return render(request, "editor/panel_section.html", context)


@require_safe
def add_panel(request: HttpRequest, pk: int) -> HttpResponse:
    stored = own_template_or_404(request, pk)
    context = {"stored": stored, "template": workspace(stored).template, **_section_context(workspace(stored))}
    return render(request, "editor/panel_add.html", context | {"in_section": request.GET.get("section", "")})


@require_safe
def selection_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """Several chosen strips, and what can be done with all of them."""
    stored = own_template_or_404(request, pk)
    return render(
        request,
        "editor/panel_selection.html",
        {"stored": stored, **selection_context(request.GET.get("strips", ""), workspace(stored))},
    )


def selection_context(ids: str, space: Workspace) -> dict[str, Any]:
    template, wanted = space.template, set(ids.split())
    chosen_ones = [strip for strip in template.strips if strip.id in wanted]
    keyable = [
        (f"{strip.id}/{insert.id}", f"{strip.name}: {insert.name or insert.type}")
        for strip in template.strips
        for insert in strip.inserts
        if insert.traits.can_be_keyed
    ]
    ids = {strip.id for strip in chosen_ones}
    fed = {route.to for route in template.routes if route.kind == "feed" and route.from_strip in ids}
    played = {route.to for route in template.routes if route.kind == "midi" and route.from_strip in ids}
    effects = {insert.type for strip in chosen_ones for insert in strip.inserts if insert.traits.decorrelates}
    return {
        "fed_inserts": [
            (insert.id, f"{insert.name or insert.type} of {strip.name}")
            for strip in template.strips
            if strip.id in fed
            for insert in strip.inserts
        ],
        "played": [strip for strip in template.strips if strip.id in played and strip.kind == "instrument"],
        "effects": sorted(effects),
        "template": template,
        "chosen_strips": chosen_ones,
        "ids": " ".join(strip.id for strip in chosen_ones),
        "destinations": [strip for strip in template.strips if strip.kind in DESTINATIONS],
        "keyable": keyable,
        "one": chosen_ones[0] if len(chosen_ones) == 1 else None,
        "with_chains": [strip for strip in template.strips if strip.inserts],
        **CHOICES,
    }


@require_safe
def trace_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The ways from a strip, hop by hop; one of them is shown on the map."""
    stored = own_template_or_404(request, pk)
    space = workspace(stored)
    graph = space.graph
    try:
        found = trace(graph, request.GET.get("from", ""), request.GET.get("to") or None, most=MOST_PATHS)
    except DocumentError as error:
        return render(request, "editor/panel_trace.html", {"stored": stored, "problems": error.problems}, status=422)
    figures = HopFigures(space.analysis.levels, space.analysis.arrivals)
    paths = [
        {
            "sentence": sentence(graph, path),
            "end": graph.strips[path.strips(graph)[-1]],
            "hops": [
                {
                    "words": hop_words(graph, route),
                    "route": graph.routes[route],
                    "strip": graph.strips[graph.head[route]],
                    "at": at,
                }
                for route, at in zip(path.routes, figures.along(path), strict=True)
            ],
            "routes": " ".join(graph.routes[route].id for route in path.routes),
            "blockers": path.blockers,
        }
        for path in found.paths[:SHOWN_PATHS]
    ]
    start = graph.strips[graph.index[found.start.partition("/")[0]]]
    context = {"stored": stored, "start": start, "to": request.GET.get("to", ""), "paths": paths, "found": found}
    context["more"] = len(found.paths) - len(paths)
    return render(request, "editor/panel_trace.html", context)


@require_safe
def journal_panel(request: HttpRequest, pk: int) -> HttpResponse:
    stored = own_template_or_404(request, pk)
    entries = stored.journal.select_related("by").defer("patch").order_by("-pk")[:200]
    return render(request, "editor/panel_journal.html", {"stored": stored, "entries": entries})
