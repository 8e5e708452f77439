"""The side panel beside the map: findings, a strip, a section, several strips, traces, adding, the history."""

from __future__ import annotations

from typing import Any, get_args

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from lattice.edits.section_defaults import default_texts
from lattice.errors import DocumentError
from lattice.graph.signal_graph import SignalGraph
from lattice.graph.solo import solo
from lattice.model import document
from lattice.model.document import Section
from lattice.model.insert_types import INSERT_TYPES
from lattice.model.layouts import NAMED
from lattice.model.starting_values import starting_chains
from lattice.model.strip_kinds import STRIP_KINDS
from lattice.tracing import MOST_PATHS, HopFigures, hop_words, notes_to, outlet_words, trace
from web.editor.actions import BY_NAME, actions_for
from web.editor.matter_lists import margin_lists
from web.editor.places.base import wanted
from web.editor.presenting import frame, strip_context
from web.editor.ranking import best
from web.editor.selection import COMPLETED, Selection
from web.editor.templatetags.edits import pair_of
from web.shelf.access import template_or_404
from web.shelf.workspace import Workspace, workspace

CHOICES = {
    "kinds": tuple(traits.name for traits in STRIP_KINDS),
    "layouts": (*NAMED, "discrete:2", "discrete:4", "discrete:8", "discrete:16"),
    "monitors": ("never", "when-armed", "always"),
    "taps": get_args(document.Tap),
    "choice_ways": (("turn", "in turn: levels count the loudest"), ("state", "by mute and state")),
    "insert_types": tuple(traits.name for traits in INSERT_TYPES),
    "insert_states": ("on", "bypassed", "unloaded"),
    "insert_keys": ("none", "internal", "external"),
    "records": ("in", "pre"),
    "known_tags": document.KNOWN_TAGS,
}
UNTIED = (("feed", "feeds"), ("send", "sends"), ("key", "keys"), ("midi", "midi"), ("feed send key midi tie", "all"))
SHOWN_PATHS = 12


def chosen(request: HttpRequest, space: Workspace) -> dict[str, Any]:
    """The strip, section or finding that a deep link names; unknown ones are left out."""
    index = space.graph.index
    many = request.GET.get("strips") or request.POST.get("chosen_strips")
    if many:
        selected = Selection(space, many)
        if selected.strips:
            return {"panel": "selection", **selection_context(selected)}
    strip = request.GET.get("strip") or request.POST.get("chosen_strip")
    if strip in index:
        return {"panel": "strip", **strip_context(space, space.template.strips[index[strip]])}
    section = next((s for s in space.template.sections if s.id == wanted(request, "section")), None)
    if section is not None:
        return {"panel": "section", **_section_context(space, section)}
    return {"panel": "findings", "chosen_finding": wanted(request, "finding")}


@require_safe
def findings_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The list of issues in the side panel."""
    context = frame(request, template_or_404(request, pk))
    context |= margin_lists(request, context, request.GET.get("finding", ""))
    return render(request, "editor/panel_findings.html", context)


@require_safe
def strip_panel(request: HttpRequest, pk: int, strip: str) -> HttpResponse:
    stored = template_or_404(request, pk)
    space = workspace(stored)
    if strip not in space.graph.index:
        raise Http404
    context = {"stored": stored, "template": space.template}
    context |= strip_context(space, space.template.strips[space.graph.index[strip]])
    return render(request, "editor/panel_strip.html", context | CHOICES)


def _section_context(space: Workspace, section: Section | None = None) -> dict[str, Any]:
    buses = [strip for strip in space.template.strips if strip.kind in ("bus", "master")]
    others = [known for known in space.template.sections if known is not section]
    texts = default_texts(space.template, section) if section is not None else {}
    return {"section": section, "others": others, "buses": buses, "defaults": texts, **CHOICES}


@require_safe
def section_panel(request: HttpRequest, pk: int, section: str) -> HttpResponse:
    stored = template_or_404(request, pk)
    space = workspace(stored)
    found = next((known for known in space.template.sections if known.id == section), None)
    if found is None:
        raise Http404
    context = {"stored": stored, "template": space.template, **_section_context(space, found)}
    return render(request, "editor/panel_section.html", context)


@require_safe
def selection_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """Several selected strips: their facts, and the actions to be found for them."""
    stored = template_or_404(request, pk)
    context = selection_context(Selection(workspace(stored), request.GET.get("strips", "")))
    return render(request, "editor/panel_selection.html", {"stored": stored, **context})


def selection_context(selected: Selection) -> dict[str, Any]:
    return {"chosen": selected, "actions": actions_for(selected)}


@require_safe
def action_panel(request: HttpRequest, pk: int, name: str) -> HttpResponse:
    """The fields of one action on the selected strips."""
    stored = template_or_404(request, pk)
    space = workspace(stored)
    action = BY_NAME.get(name)
    if action is None or action.values is not None or not action.edit:
        raise Http404
    context = {
        "stored": stored,
        "template": space.template,
        "action": action,
        "chosen": Selection(space, request.GET.get("strips", "")),
        "taps_last_first": CHOICES["taps"][::-1],
        "untied": UNTIED,
        "starting_chains": starting_chains(space.template.tempo_bpm),
        **CHOICES,
    }
    return render(request, "editor/panel_action.html", context)


@require_safe
def choices(request: HttpRequest, pk: int, source: str) -> JsonResponse:
    """Entries of a long list that match the typed text, the best fifty: values and words."""
    if source not in COMPLETED:
        raise Http404
    selected = Selection(workspace(template_or_404(request, pk)), request.GET.get("strips", ""))
    pairs = [pair_of(one) for one in getattr(selected, source)]
    return JsonResponse({"found": best(pairs, request.GET.get("q", ""))})


@require_safe
def trace_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The paths from a strip, hop by hop; one of them is shown on the map."""
    stored = template_or_404(request, pk)
    space = workspace(stored)
    graph = space.graph
    try:
        traced = trace(graph, request.GET.get("from", ""), request.GET.get("to") or None, most=MOST_PATHS)
    except DocumentError as error:
        return render(request, "editor/panel_trace.html", {"stored": stored, "problems": error.problems}, status=422)
    figures = HopFigures(space.analysis.levels, space.analysis.arrivals)
    paths = [
        {
            "notes": [_note_hop(graph, route) for route in notes_to(graph, traced, path)],
            "outlet": outlet_words(graph, path) if traced.notes else "",
            "end": graph.strips[path.strips(graph)[-1]],
            "hops": [
                {
                    "words": hop_words(graph, route),
                    "route": graph.routes[route],
                    "strip": graph.strips[graph.head[route]],
                    "at": at,
                    "rests": space.analysis.rests_on_assumed(graph.head[route]),
                }
                for route, at in zip(path.routes, figures.along(path), strict=True)
            ],
            "routes": " ".join(graph.routes[route].id for route in path.routes),
            "blockers": path.blockers,
        }
        for path in traced.paths[:SHOWN_PATHS]
    ]
    start = graph.strips[graph.index[traced.start.partition("/")[0]]]
    context = {"stored": stored, "start": start, "to": request.GET.get("to", ""), "paths": paths, "found": traced}
    context["more"] = len(traced.paths) - len(paths)
    return render(request, "editor/panel_trace.html", context)


@require_safe
def solo_panel(request: HttpRequest, pk: int) -> HttpResponse:
    """The strips that would sound if only the selected ones did; highlighted on the map.

    A preview: nothing is written.
    """
    stored = template_or_404(request, pk)
    space = workspace(stored)
    graph, wanted_ids = space.graph, set(request.GET.get("strips", "").split())
    chosen_ones = [n for n, strip in enumerate(graph.strips) if strip.id in wanted_ids]
    found = solo(space.analysis.unblocked, chosen_ones)
    context = {
        "stored": stored,
        "asked": [graph.strips[n] for n in chosen_ones],
        "ids": " ".join(graph.strips[n].id for n in chosen_ones),
        "heard": [graph.strips[n] for n in found.heard],
        "silent": [graph.strips[n] for n in found.silent],
        "others": len(found.strips - set(chosen_ones)),
        "strips_lit": " ".join(graph.strips[n].id for n in sorted(found.strips)),
        "routes_lit": " ".join(graph.routes[n].id for n in sorted(found.routes)),
    }
    return render(request, "editor/panel_solo.html", context)


def _note_hop(graph: SignalGraph, route: int) -> dict[str, Any]:
    return {"words": hop_words(graph, route), "strip": graph.strips[graph.head[route]]}


@require_safe
def journal_panel(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    entries = stored.journal.select_related("by").defer("patch").order_by("-pk")[:200]
    return render(request, "editor/panel_journal.html", {"stored": stored, "entries": entries})
