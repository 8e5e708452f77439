"""A route opened to its channel pairs: source channels down, the destination's across."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from lattice.gain_staging.gains import route_gain
from lattice.model.layouts import channel_names
from web.shelf.access import template_or_404
from web.shelf.workspace import workspace


@require_safe
def channels_panel(request: HttpRequest, pk: int, route: str) -> HttpResponse:
    """The pairs of a feed or send, listed or as its layouts map; nothing is written."""
    stored = template_or_404(request, pk)
    graph = workspace(stored).graph
    number = graph.route_index.get(route)
    if number is None or graph.routes[number].kind not in ("feed", "send"):
        raise Http404
    piece = graph.routes[number]
    matrix = route_gain(graph, number).matrix
    ends = channel_names(graph.strips[graph.head[number]].layout)
    rows = [
        (name, [(f"{start}:{end}", ends[end - 1], bool(matrix[end - 1][start - 1])) for end in range(1, len(ends) + 1)])
        for start, name in enumerate(channel_names(graph.layout_leaving(number)), start=1)
    ]
    context = {
        "stored": stored,
        "route": piece,
        "start": graph.strips[graph.tail[number]],
        "end": graph.strips[graph.head[number]],
        "ends": ends,
        "rows": rows,
        "is_listed": piece.channels is not None,
    }
    return render(request, "editor/route_channels.html", context)
