"""Defaults of sections: set as cells of the table of strips have them, and taken by strips."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec.structs import replace

from lattice.edits.arguments import Choice, Piece, Text
from lattice.edits.described import edit
from lattice.edits.pieces import insert_for, insert_ids, position, put
from lattice.errors import EditError
from lattice.formats.tables.insert_words import insert_of_words
from lattice.formats.tables.strip_cells import StripCells, shown_insert
from lattice.formats.tables.words import is_nothing, layout_of
from lattice.formats.track_sheet_cells import entries, level_text, read_route
from lattice.model.document import Route, Section, SectionDefaults, SectionSend, Strip, Template
from lattice.model.names import ambiguous, free_route_ids
from lattice.model.section_defaults import NONE, may_take

FIELDS = ("layout", "to", "sends", "inserts")


@edit(
    Piece("section", kind="section"),
    Choice("field", options=FIELDS),
    Text("text", default=""),
    says="{section}, new strips, {field}: {text}",
)
def set_section_default(template: Template, section: str, field: str, text: str = "") -> Template:
    """One default of a section as text: “mono”, “Drum bus”, “Room@-12; Hall@-10 pre-fader”, “eq low-cut 80; gate”.

    Empty text is none.
    """
    index = position(template.sections, section, "section")
    known = template.sections[index]
    plain = "" if is_nothing(text) else text.strip()
    try:
        defaults = _with(template, known.defaults, field, plain)
    except ValueError as wrong:
        raise EditError(f"{known.name}, {field}: {wrong}") from None
    return replace(template, sections=put(template.sections, index, replace(known, defaults=defaults)))


def _with(template: Template, defaults: SectionDefaults, field: str, text: str) -> SectionDefaults:
    if field == "layout":
        layout = layout_of(text) if text else None
        if text and layout is None:
            raise ValueError(f"“{text}” is not a layout")
        return replace(defaults, layout=layout)
    if field == "to":
        return replace(defaults, to=_strip_named(template, text) if text else None)
    if field == "sends":
        return replace(defaults, sends=tuple(_send(template, entry) for entry in entries(text)))
    patterns = (insert_of_words(entry, f"pattern-{n}") for n, entry in enumerate(entries(text), start=1))
    return replace(defaults, inserts=tuple(patterns))


def _send(template: Template, entry: str) -> SectionSend:
    read = read_route(entry, "send")
    fields = {name: read.fields[name] for name in ("gain_db", "tap") if name in read.fields}
    return SectionSend(to=_strip_named(template, read.target), **fields)


def _strip_named(template: Template, text: str) -> str:
    """The strip of an id or of a name that one strip has. Raises ValueError with a sentence."""
    if any(strip.id == text for strip in template.strips):
        return text
    named = [strip.id for strip in template.strips if strip.name.casefold() == text.casefold()]
    if len(named) > 1:
        raise ValueError(ambiguous(text, named))
    if not named:
        raise ValueError(f"strip “{text}” does not exist")
    return named[0]


def default_texts(template: Template, section: Section) -> dict[str, str]:
    """The defaults of a section as `set_section_default` reads them."""
    names, defaults = StripCells(template), section.defaults
    sends = (
        f"{names.name_of(send.to)}@{level_text(send.gain_db)}{'' if send.tap == 'post-fader' else f' {send.tap}'}"
        for send in defaults.sends
    )
    return {
        "layout": defaults.layout or "",
        "to": names.name_of(defaults.to) if defaults.to else "",
        "sends": "; ".join(sends),
        "inserts": "; ".join(shown_insert(insert) for insert in defaults.inserts),
    }


def with_section_defaults(template: Template, strips: Iterable[str], left: dict[str, Section | None]) -> Template:
    """Strips with the defaults of the sections they are in now.

    Parameters
    ----------
    template
        The template; the strips are in their new sections.
    strips
        Ids; only those that play take anything.
    left
        Strip → the section it was in, whose sends by default go.

    Returns
    -------
    Template
        Layouts and destinations are those of the section; its chain comes to strips without inserts, its sends to those
        that do not send there yet.
    """
    sections = {section.id: section for section in template.sections}
    wanted = set(strips)
    taking = {
        strip.id: sections[strip.section].defaults
        for strip in template.strips
        if strip.id in wanted and strip.section and may_take(strip.kind) and sections[strip.section].defaults != NONE
    }
    if not taking:
        return template
    taken = insert_ids(template)
    made = tuple(_taking(strip, taking[strip.id], taken) if strip.id in taking else strip for strip in template.strips)
    return replace(template, strips=made, routes=_routes(template, taking, left))


def _taking(strip: Strip, defaults: SectionDefaults, taken: set[str]) -> Strip:
    layout = defaults.layout if defaults.layout is not None and not strip.outlets else strip.layout
    inserts = strip.inserts or tuple(insert_for(strip, insert, taken) for insert in defaults.inserts)
    return replace(strip, layout=layout, inserts=inserts)


def _routes(
    template: Template, taking: dict[str, SectionDefaults], left: dict[str, Section | None]
) -> tuple[Route, ...]:
    """Routes with the destination of the section in place of the strip's own feed, and its sends."""
    ids, kept, fed = free_route_ids(template), list[Route](), set[str]()
    sent = {(route.from_strip, route.to) for route in template.routes if route.kind == "send"}
    for route in template.routes:
        start = route.from_strip
        defaults = taking.get(start)
        if defaults is None or route.from_outlet is not None:
            kept.append(route)
        elif route.kind == "feed" and defaults.to is not None and start != defaults.to:
            if start not in fed:
                kept.append(replace(route, to=defaults.to, channels=None))
            fed.add(start)
        elif not (route.kind == "send" and _was_default(route, left.get(start), defaults)):
            kept.append(route)
    for start, defaults in taking.items():
        if defaults.to is not None and start not in fed and start != defaults.to:
            kept.append(Route(id=next(ids), kind="feed", from_strip=start, to=defaults.to))
        kept += (
            Route(id=next(ids), kind="send", from_strip=start, to=send.to, gain_db=send.gain_db, tap=send.tap)
            for send in defaults.sends
            if send.to != start and (start, send.to) not in sent
        )
    return tuple(kept)


def _was_default(route: Route, section: Section | None, defaults: SectionDefaults) -> bool:
    """Return whether a send is one of the section that was left, and none of the new one."""
    if section is None or any(send.to == route.to for send in defaults.sends):
        return False
    return any(send.to == route.to for send in section.defaults.sends)
