"""The papers of a release as PDF: drawing sheet, report, manual. The same revision gives the same bytes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

from django.conf import settings
from django.template.loader import render_to_string

from lattice.deliverables.report import sum_in_words
from lattice.drawing import Hidden, Sheet
from lattice.drawing.svg import Mark, pieces
from lattice.gain_staging.chain import figures
from lattice.graph.origin import NO_OUTLET
from lattice.graph.signal_graph import SignalGraph
from lattice.latency.monitoring import monitored
from lattice.latency.paths import critical_path
from lattice.manual import manual
from lattice.model.document import MapView, main_outlet
from lattice.model.inventory import inventory_of
from lattice.model.tiers import colouring
from lattice.model.units import channel_span, samples_to_ms
from web.editor.matters import by_family, marks, rows_of, waived_by_waiver
from web.editor.places import ports
from web.editor.places.levels import endpoints
from web.shelf.workspace import Workspace

MM_A_PX = 0.25  # 12 px type is 3 mm high
LEAST_SHEET_MM = (400.0, 277.0)  # A3 without its margins
MARGIN_MM = 10.0
COLUMNS_A_PAGE = 9  # stems beside each other in the ledger


STATIC_URL = (settings.ROOT / "web" / "static").as_uri() + "/"


def _is_own(url: str) -> bool:
    """Files that a report may load: our own fonts and styles."""
    parts = urlsplit(url)
    path = Path(unquote(parts.path)).resolve()
    return parts.scheme == "file" and not parts.netloc and path.is_relative_to(settings.ROOT / "web" / "static")


@dataclass(frozen=True)
class Facts:
    """The head of every report: revision, creator, date."""

    name: str
    number: int
    note: str
    sealed_by: str
    sealed_on: str
    signed_by: str
    signed_on: str
    digest: str
    remarks: tuple[tuple[str, str, tuple[str, ...]], ...] = ()  # subject, open or resolved, comments with names

    @property
    def state(self) -> str:
        return "released" if self.signed_by else "sealed"


def drawing(space: Workspace) -> Sheet:
    """The whole map drawn from scratch; once for all reports of a pack."""
    return space.drawn(frozenset(), b"").sheet


def map_svg(space: Workspace, facts: Facts, view: MapView | None = None) -> str:
    """The whole map with its title block, findings marked at their places; or one of its views."""
    sheet = drawing(space)
    if view is not None:
        sheet = space.drawn(frozenset(view.folded), b"").without(Hidden.of(view)).sheet
    block, colours = _title_block(space, facts), colouring(space.template)
    return pieces(sheet, block, facts.name, _marks(space, sheet), colours=colours, standalone=True).whole()


def _marks(space: Workspace, sheet: Sheet) -> dict[str, Mark]:
    return marks(sheet, rows_of(space))


def _title_block(space: Workspace, facts: Facts) -> list[tuple[str, str]]:
    template, counts = space.template, space.audit.summary
    return [
        ("Revision", f"{facts.number}, {facts.state}"),
        ("Rate, buffer", f"{template.sample_rate_hz / 1000:g} kHz {template.buffer_samples}"),
        ("Picture", f"{template.frame_rate} fps" if template.frame_rate else "none"),
        ("Strips, routes", f"{len(template.strips)} {len(template.routes)}"),
        ("Created", facts.sealed_on),
        ("by", facts.sealed_by[:16]),
        ("Signed off", facts.signed_on or "not yet"),
        ("by", facts.signed_by[:16] or "–"),
        ("Findings", f"{counts['blocker']} {counts['warning']} {counts['note']}"),
    ]


def map_pdf(svg: str, facts: Facts) -> bytes:
    """The map on one page: A3, or larger if its type would become too small."""
    width, height = _size_of(svg)
    page = [
        max(side * MM_A_PX, least) + 2 * MARGIN_MM for side, least in zip((width, height), LEAST_SHEET_MM, strict=True)
    ]
    html = render_to_string(
        "papers/sheet.html", {"svg": svg, "width": page[0], "height": page[1], "facts": facts, "margin": MARGIN_MM}
    )
    return to_pdf(html, facts)


def _size_of(svg: str) -> tuple[float, float]:
    box = svg.partition('viewBox="')[2].partition('"')[0].split()
    return float(box[2]), float(box[3])


def report_html(space: Workspace, facts: Facts) -> str:
    """Findings and waivers, levels at endpoints, timing, ledger, ports, plug-ins."""
    families = by_family(rows_of(space))
    context = {
        "facts": facts, "template": space.template, "summary": space.audit.summary,
        "families": families, "waived": waived_by_waiver(space), "ends": _ends(space),
        **_timing(space), **_ledger(space), **_ports(space), "inventories": _inventories(space),
    }  # fmt: skip
    return render_to_string("papers/report.html", context)


def manual_html(space: Workspace, facts: Facts) -> str:
    return render_to_string("papers/manual.html", {"facts": facts, "chapters": manual(space.analysis)})


def _ends(space: Workspace) -> list[dict[str, Any]]:
    found = []
    for number, stage, likely_db in endpoints(space):
        peak, likely, rms = figures(stage).loudest
        name = space.graph.strips[number].name
        found.append(
            {
                "name": name,
                "peak": peak,
                "likely": likely,
                "rms": rms,
                "room": -likely_db,
                "rests": space.analysis.rests_on_assumed(number),
            }
        )
    return found


def _timing(space: Workspace) -> dict[str, Any]:
    arrivals, rate = space.analysis.arrivals, space.template.sample_rate_hz
    names = [strip.name for strip in space.graph.strips]
    inserts = {insert.id: insert.title for strip in space.template.strips for insert in strip.inserts}
    steps = critical_path(arrivals, arrivals.latest_output) if arrivals.latest_output is not None else []
    return {
        "total": arrivals.total_samples,
        "total_ms": samples_to_ms(arrivals.total_samples or 0, rate),
        "outputs": [
            (names[strip_number], samples, samples_to_ms(samples, rate))
            for strip_number, samples in arrivals.outputs.items()
        ],
        "steps": [
            (
                names[step.strip],
                inserts.get(step.id, {"tie": "tie line", "output": "output of the machine"}.get(step.what, "")),
                step.samples,
            )
            for step in steps
            if step.samples
        ],
        "live": [
            (names[heard.source], names[heard.output], heard.ms(space.template.buffer_samples))
            for heard in monitored(arrivals, space.analysis.levels)
        ],
    }


def _ledger(space: Workspace) -> dict[str, Any]:
    """The ledger, a table a set, or several where a set has more stems than fit a page."""
    ledger = space.analysis.ledger
    stems = [(stem_number, stem) for stem_number, stem in enumerate(space.template.stems) if stem.strip is not None]
    tables = []
    for name in dict.fromkeys(stem.set for _number, stem in stems):
        of_set = [one for one in stems if one[1].set == name]
        for start in range(0, len(of_set), COLUMNS_A_PAGE):
            columns = of_set[start : start + COLUMNS_A_PAGE]
            rows = [
                (
                    space.analysis.source_name(*origin),
                    [(stem_number in row, row.get(stem_number)) for stem_number, _stem in columns],
                )
                for origin, row in ledger.rows.items()
                if any(stem_number in row for stem_number, _stem in columns)
            ]
            tables.append((name, [stem for _number, stem in columns], rows))
    return {"ledger": tables, "sum": sum_in_words(ledger)}


def _ports(space: Workspace) -> dict[str, Any]:
    template, graph = space.template, space.graph
    machine = {one.id: one.name for one in template.machines}
    io = [
        (
            machine[graph.machine_of(n)],
            strip.kind,
            channel_span(strip.io),
            strip.name,
        )
        for n, strip in enumerate(graph.strips)
        if strip.io
    ]
    outlets = [
        (
            strip.name,
            outlet.name or outlet.id,
            "open" if outlet.open else "closed",
            _listeners(graph, n, strip.id, outlet.id),
        )
        for n, strip in enumerate(graph.strips)
        for outlet in strip.outlets
    ]
    notes = [
        (
            graph.strips[graph.head[r]].name,
            graph.routes[r].port or 1,
            graph.routes[r].channel or "all",
            graph.strips[graph.tail[r]].name,
        )
        for r in graph.midis
    ]
    return {
        "io": sorted(io),
        "outlets": outlets,
        "notes": sorted(notes, key=lambda note: (note[0], note[1], str(note[2]))),
        "ties": ports.ties(template),
    }


def _listeners(graph: SignalGraph, number: int, strip: str, outlet: str) -> str:
    side = graph.outlet_index.get((number, outlet), NO_OUTLET)
    main = main_outlet(graph.strips[number])
    routes = graph.outlet_outs[side] if side >= 0 else graph.outs[number] if main and main.id == outlet else []
    return ", ".join(graph.strips[graph.head[route]].name for route in routes)


def _inventories(space: Workspace) -> list[tuple[str, Sequence[Any]]]:
    return [
        (machine.name, plugins)
        for machine in space.template.machines
        if machine.kind == "computer" and (plugins := inventory_of(space.template, machine).plugins)
    ]


def to_pdf(html: str, facts: Facts) -> bytes:
    """A PDF with the shipped fonts; dates and ids come from the revision alone."""
    import weasyprint  # noqa: PLC0415 - slow to import, and only who makes papers needs it

    class OwnFiles(weasyprint.urls.URLFetcher):  # type: ignore[misc]
        """Refuses everything from outside before it is fetched."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            if not _is_own(url):
                raise ValueError(f"documents load no external files: {url[:100]}")
            return super().fetch(url, headers)

    document = weasyprint.HTML(string=html, base_url=STATIC_URL, url_fetcher=OwnFiles())
    made: bytes = document.write_pdf(font_config=_fonts(), pdf_identifier=facts.digest[:32].encode())
    return made


@cache
def _fonts() -> Any:
    """The fonts of all papers, unpacked once in a process: a third of the time of a short paper."""
    from weasyprint.text.fonts import FontConfiguration  # noqa: PLC0415

    return FontConfiguration()
