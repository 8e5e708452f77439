"""The Stems page: the ledger as a grid, its faults, stems and prints, and the rules."""

from __future__ import annotations

import re
from collections import defaultdict
from dataclasses import dataclass, field
from html import escape
from typing import Any
from urllib.parse import quote

from django.http import HttpRequest
from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe

from lattice.checks import Finding
from lattice.checks.rules import SPOKEN, rule_sentence
from lattice.checks.suggest import suggestions
from lattice.deliverables.report import source_id, sum_in_words
from lattice.graph.origin import Origin
from lattice.model.document import Rule, Stem, Strip, Template, main_outlet
from lattice.model.excluded_tags import KEPT_OUT_OF_STEMS
from lattice.model.strip_kinds import DESTINATIONS
from lattice.model.units import words_db
from web.editor.panels import CHOICES
from web.editor.places.base import FIGURES, Context, Place, wanted
from web.shared.templatetags.figures import exact
from web.shelf.workspace import Workspace


@dataclass
class Cell:
    """The level of a source in a stem; `mark`: its fault, "" for none."""

    stem: Stem
    reached: bool
    level: float | None = None
    mark: str = ""
    words: str = ""
    source: str = ""

    @property
    def also(self) -> str:
        """The faults, shown after a figure."""
        return f", {self.words}" if self.words else ""

    @property
    def traced(self) -> str:
        """The address that traces the source to the stem on the map."""
        return f"trace={quote(self.source)}" + (f"&to={self.stem.strip}" if self.stem.strip else "")


@dataclass
class Row:
    """One source across the stems of a set."""

    id: str
    strip: str
    name: str
    cells: list[Cell] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    @property
    def is_wrong(self) -> bool:
        return any(cell.mark for cell in self.cells)

    @property
    def drawn(self) -> SafeString:
        """The cell after its band: written without a template, which would take half a second for three thousand cells.

        The addresses are relative to the place.
        """
        name, is_wrong = escape(self.name), " wrong" if self.is_wrong else ""
        head = f'<th scope="row"><a href="../strips/?strip={escape(self.strip)}">{name}</a></th>'
        said = f'<td class="says{is_wrong}">{escape(", ".join(self.notes))}</td>'
        return mark_safe(head + "".join(_drawn(cell, name) for cell in self.cells) + said)  # noqa: S308 - escaped here


def _drawn(cell: Cell, row: str) -> str:
    """One cell."""
    marked = f' class="marked {cell.mark}" title="{escape(cell.words)}"' if cell.mark else ""
    if cell.mark != "gap" and not cell.reached:
        return f'<td{marked}><span class="none" aria-hidden="true">·</span></td>'
    link, stem = f'<a href="../map/?{escape(cell.traced)}"', escape(cell.stem.name)
    if cell.mark == "gap":
        return f'<td{marked}>{link} aria-label="{row} is missing in {stem}">missing</a></td>'
    also, level = escape(cell.also), words_db(cell.level)
    label = f'title="{exact(cell.level)} dB{also}" aria-label="{row} in {stem}, {level} dB{also}"'
    return f"<td{marked}>{link} {label}>{level}</a></td>"


def ledger_place(space: Workspace, set_name: str, only: str, section: str = "") -> dict[str, Any]:
    """Everything the place shows. Where there are many sources, only one section is open."""
    template, analysis = space.template, space.analysis
    sets = list(dict.fromkeys(stem.set for stem in template.stems))
    chosen = set_name if set_name in sets else next(iter(sets), "")
    columns = [(stem_number, stem) for stem_number, stem in enumerate(template.stems) if stem.set == chosen]
    about = [finding for finding in space.audit.findings if finding.code.startswith("stem.")]
    bands = _bands(space, columns, about, only=bool(only), open_one=section) if sets else []
    return {
        "sets": sets,
        "set": chosen,
        "only": only,
        "also": ("&only=1" if only else "") + (f"&section={section}" if section else ""),
        "columns": [stem for _number, stem in columns],
        "bands": bands,
        "section": section,
        "sum": sum_in_words(analysis.ledger),
        "said": [finding for finding in about if _is_said(finding, {stem.id for _number, stem in columns})],
        "rules": _rules(space),
        "suggested": [(rule, rule_sentence(analysis, rule), broken) for rule, broken in suggestions(analysis)],
        "promises": [(kind, PART.sub("…", words.removeprefix("{sources} "))) for kind, words in SPOKEN.items()],
        "selectors": selector_choices(template),
        "carriers": carriers(template),
        "prints": [strip for strip in template.strips if strip.kind == "print"],
        "roles": ("stem", "mix", "composite"),
        "returns": ("own", "all"),
    }


PART = re.compile(r"\{\w+\}")
OUTSIDE = "-"  # strips that are in no section, as the address of the page names them
MOST_ROWS = 400  # above, sections are folded
MOST_CHOICES = 400  # above this, only sums and ends are offered


def carriers(template: Template) -> list[Strip]:
    """Strips for the tap of a stem or the subject of a rule; of a large template, only sums and ends."""
    found = [strip for strip in template.strips if strip.kind != "midi"]
    if len(found) <= MOST_CHOICES:
        return found
    taken = {stem.strip for stem in template.stems}
    return [strip for strip in found if strip.kind in DESTINATIONS or strip.id in taken]


def _bands(
    space: Workspace, columns: list[tuple[int, Stem]], about: list[Finding], *, only: bool, open_one: str
) -> list[dict[str, Any]]:
    """Rows by section, in the order of the document; folded ones with how many sources are wrong."""
    strips = space.graph.strips
    marks = _marks(about, {strip.id: strip.name for strip in strips})
    of_section: dict[str, list[Origin]] = defaultdict(list)
    for origin in space.analysis.sources:
        of_section[strips[origin.strip].section or OUTSIDE].append(origin)
    folds = len(space.analysis.sources) > MOST_ROWS and not only
    wrong = {source.partition("/")[0] for source, _stem in marks}
    names = [(section.id, section.name, section.colour) for section in space.template.sections]
    bands = []
    for section, name, colour in (*names, (OUTSIDE, "No section", None)):
        origins = of_section[section]
        if only:
            origins = [origin for origin in origins if strips[origin.strip].id in wrong]
        is_folded = folds and section != open_one
        rows = [] if is_folded else [_row(space, origin, columns, marks) for origin in origins]
        if only:
            rows = [row for row in rows if row.is_wrong]
        if rows or (is_folded and origins):
            bad = sum(strips[strip].id in wrong for strip, _outlet in origins) if is_folded else 0
            edge = render_to_string("editor/parts/band_edge.html", {"colour": colour or "transparent"})
            band = {"id": section, "name": name, "edge": edge, "rows": rows}
            bands.append(band | {"is_folded": is_folded, "count": len(origins), "wrong": bad})
    return bands


def _is_said(finding: Finding, of_set: set[str]) -> bool:
    """Open findings about the set on the page; those of ducking are on the Side-chains page."""
    return not finding.waived and finding.code != "stem.outside-key" and bool(of_set & {*finding.stems})


def _marks(about: list[Finding], names: dict[str, str]) -> dict[tuple[str, str], tuple[str, str]]:
    """(source, stem) → (mark, words) from the findings."""
    marks: dict[tuple[str, str], tuple[str, str]] = {}
    words = {
        "stem.missing": "in no stem", "stem.bypassed": "bypasses the stems", "stem.twice": "in two stems",
        "stem.forbidden": "not allowed here",
    }  # fmt: skip
    for finding in about:
        if finding.waived:
            continue
        source = finding.outlets[0] if finding.outlets else finding.strips[0] if finding.strips else ""
        for stem in finding.stems:
            if finding.code in words:
                marks.setdefault((source, stem), (finding.severity, words[finding.code]))
            elif finding.code == "stem.pop":
                marks[source, stem] = ("gap", "not in every stem")
            elif finding.code == "stem.leak":
                by = names[finding.strips[0]]
                for foreign in (*finding.strips[1:], *finding.outlets):
                    marks.setdefault((foreign, stem), (finding.severity, f"by {by}"))
    return marks


def _row(
    space: Workspace, origin: Origin, columns: list[tuple[int, Stem]], marks: dict[tuple[str, str], tuple[str, str]]
) -> Row:
    analysis, ledger = space.analysis, space.analysis.ledger
    strip, name = space.graph.strips[origin.strip], source_id(ledger, origin)
    row = Row(name, strip.id, analysis.source_name(*origin))
    levels, composites = ledger.rows.get(origin, {}), ledger.composites
    main = main_outlet(strip)
    for stem_number, stem in columns:
        if stem_number in composites:
            reached = bool(composites[stem_number] & analysis.taps.of(origin))
            cell = Cell(stem, reached, ledger.composite(origin, stem_number))
        else:
            cell = Cell(stem, stem_number in levels, levels.get(stem_number))
        own = marks.get((name, stem.id)) or (
            marks.get((strip.id, stem.id)) if main is None or origin.is_chain else None
        )
        cell.source = name
        if own:
            cell.mark, cell.words = own
            row.notes.append(own[1])
        row.cells.append(cell)
    row.notes = list(dict.fromkeys(row.notes))
    if not row.notes and not any(cell.reached for cell in row.cells):
        row.notes = ["excluded" if set(strip.tags) & {*KEPT_OUT_OF_STEMS, "trigger"} else "reaches no stem"]
    return row


def _rules(space: Workspace) -> list[tuple[Rule, str, list[Finding]]]:
    """Every rule, its sentence, and the sources that break it."""
    broken: dict[str, list[Finding]] = defaultdict(list)
    for finding in space.audit.findings:
        if finding.code == "rule.broken" and not finding.waived:
            broken[finding.others[0]].append(finding)
    return [(rule, rule_sentence(space.analysis, rule), broken[rule.id]) for rule in space.template.rules]


def selector_choices(template: Template) -> list[tuple[str, list[tuple[str, str]]]]:
    """Subjects of a rule, in groups: (group, [(selector, words)])."""
    tags = sorted({tag for strip in template.strips for tag in strip.tags})
    kinds = list(dict.fromkeys(strip.kind for strip in template.strips))
    return [
        ("all", [("*", "everything")]),
        ("tagged", [(f"tag:{tag}", f"strips tagged {tag}") for tag in tags]),
        ("sections", [(f"section:{section.id}", section.name) for section in template.sections]),
        ("kinds", [(f"kind:{kind}", f"any {kind}") for kind in kinds]),
        ("strips", [(f"strip:{strip.id}", strip.name) for strip in carriers(template)]),
    ]


def _context(request: HttpRequest, context: Context) -> Context:
    named = (wanted(request, name) for name in ("set", "only", "section"))
    return ledger_place(context["space"], *named) | CHOICES


PLACE = Place("stems", "Stems", FIGURES, 3, _context)
