"""Hygiene: names left as they came, names twice, colours unlike the section's, sections with nothing in them."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator

from lattice.analysis import Analysis
from lattice.checks.finding import Finding, Remedy
from lattice.checks.registry import check, explain
from lattice.model.edit_step import EditStep

ODD_SPACES = ("  ", "\n ", " \n", "\t", "\r", "\v", "\f", "\x1c", "\x1d", "\x1e", "\x1f")
# over all names at once, a line each: hardly any is left as it came
DEFAULT_NAME = re.compile(
    r"^[^\S\n]*(?:audio|instrument|input|midi|bus|return|master|print|output)(?:[^\S\n]|[_.#-])*\d+[^\S\n]*$",
    re.IGNORECASE | re.MULTILINE,
)


@check("name.duplicate")
def duplicate_names(analysis: Analysis) -> Iterator[Finding]:
    """Names that two or more strips have: one finding a name."""
    names = _compared([strip.name for strip in analysis.template.strips])
    if len(set(names)) == len(names):
        return
    by_name: dict[str, list[str]] = defaultdict(list)
    for name, strip in zip(names, analysis.template.strips, strict=True):
        by_name[name].append(strip.id)
    for ids in by_name.values():
        if len(ids) > 1 and not _one_feeds_the_other(analysis, ids):
            name = analysis.name(analysis.graph.index[ids[0]])
            yield Finding(
                code="name.duplicate",
                severity="note",
                message=f"{len(ids)} strips have the name {name}",
                strips=tuple(ids),
                evidence=(", ".join(ids[:12]),),
            )


def _one_feeds_the_other(analysis: Analysis, ids: list[str]) -> bool:
    """Return whether two strips of a name are a sound and its channel: a channel may bear its sound's name."""
    index, graph = analysis.graph.index, analysis.graph
    numbers = {index[one] for one in ids}
    fed = {graph.head[route] for route in graph.routes_of(numbers) if graph.head[route] in numbers}
    return len(fed) == len(ids) - 1


def _compared(names: list[str]) -> list[str]:
    """Names as they are compared, case and spaces aside; over all at once, as most have no odd spaces."""
    joined = "\n".join(names).casefold()
    is_plain = joined.isascii() and joined == joined.strip() and not any(odd in joined for odd in ODD_SPACES)
    if is_plain and joined.count("\n") == len(names) - 1:
        return joined.split("\n")
    return [" ".join(name.casefold().split()) for name in names]


@check("name.default")
def default_names(analysis: Analysis) -> Iterator[Finding]:
    """Names left as the kind and a number."""
    joined = "\n".join([strip.name.replace("\n", " ") for strip in analysis.template.strips])
    for match in DEFAULT_NAME.finditer(joined):
        strip = analysis.template.strips[joined.count("\n", 0, match.start())]
        yield Finding(
            code="name.default",
            severity="note",
            message=f"{strip.name} has a default name",
            strips=(strip.id,),
            evidence=("its name is a kind and a number",),
        )


@check("section.colour")
def section_colours(analysis: Analysis) -> Iterator[Finding]:
    """Strips coloured unlike their section."""
    for strip in analysis.template.strips:
        if strip.colour is None:
            continue
        section = analysis.sections.get(strip.section or "")
        if section is None or section.colour is None:
            continue
        if strip.colour.lower() != section.colour.lower():
            take = EditStep("change_strip", {"strip": strip.id, "changes": {"colour": None}})
            yield Finding(
                code="section.colour",
                severity="note",
                message=f"{strip.name} differs from the colour of {section.name}",
                strips=(strip.id,),
                sections=(section.id,),
                evidence=(f"strip {strip.colour}, section {section.colour}",),
                remedies=(Remedy(f"Set to the colour of {section.name}", (take,)),),
            )


@check("section.empty")
def empty_sections(analysis: Analysis) -> Iterator[Finding]:
    """Sections without a strip in them or in a section inside them."""
    used = {strip.section for strip in analysis.template.strips}
    for section_id in list(used):
        section = analysis.sections.get(section_id or "")
        while section is not None and section.parent is not None:
            used.add(section.parent)
            section = analysis.sections.get(section.parent)
    for section in analysis.template.sections:
        if section.id not in used:
            remove = EditStep("remove_sections", {"sections": [section.id]})
            yield Finding(
                code="section.empty",
                severity="note",
                standing="unfinished",
                message=f"The section {section.name} is empty",
                sections=(section.id,),
                evidence=("it has no strips",),
                remedies=(Remedy("Remove the section", (remove,)),),
            )


explain(
    "name.duplicate",
    many="{n} names are used twice",
    found="Two or more strips have the same name.",
    why="Routes are easily set to the wrong one.",
    how="Names are compared without case and spaces.",
    fix="Rename all but one of them.",
)

explain(
    "name.default",
    many="{n} strips have default names",
    found="The name of a strip is its kind and a number.",
    why="Its purpose is unknown.",
    how="Names are compared with kinds and numbers.",
    fix="Name the strip after its signal.",
)

explain(
    "section.colour",
    many="{n} strips differ from their section colour",
    found="The colour of a strip differs from the colour of its section.",
    why="The strip is easily missed.",
    how="The colour of each strip is compared with the colour of its section.",
    fix="Set the colour of the section.",
)

explain(
    "section.empty",
    many="{n} sections are empty",
    found="A section has no strips and no sections in it.",
    why="It takes space in every list.",
    how="The strips of each section are counted.",
    fix="Remove the section, or move its strips into it.",
)
