"""Spread: a list of names, or rows of a table, becomes strips with their routes and sections, in one edit."""

from __future__ import annotations

from typing import Any

from lattice.edits.arguments import Flag, Rows, Text, Words
from lattice.edits.described import edit
from lattice.edits.wiring import wired_where_possible
from lattice.errors import EditError, refusal
from lattice.formats.tables.tolerant_reader import SECTION_BUS, ReadRows, read_rows
from lattice.model.document import MAX_STRIPS, Template

MEANS = "="  # between a row, or a word, and the kind that it means


def rows_read(template: Template, names: list[str], **usual: Any) -> ReadRows:
    """The strips from lines of names, and the problems; `usual` are the arguments of `spread`. Raises EditError."""
    with_buses = bool(usual.pop("with_buses", False))
    usual.pop("leave_out", None)
    usual["feed"] = usual.get("feed") or SECTION_BUS
    usual.pop("wire", None)
    roles = dict(one.rpartition(MEANS)[::2] for one in usual.pop("roles", None) or [] if MEANS in one)
    if not any(line.strip() for line in names):
        raise EditError("the list has no names")
    if len(template.strips) + len(names) > MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    return read_rows(template, "\n".join(names), usual, with_buses=with_buses, roles=roles)


def may_be_wired(read: ReadRows) -> bool:
    """Return whether the rows of a list say nothing of where they go."""
    return bool(read.added) and not read.states_routes


def wired(read: ReadRows) -> Template:
    """The template of a list with its strips wired up; as it is where nothing of it can be."""
    strips = [*read.added, *(strip.id for strip in read.template.strips if strip.name in read.made)]
    return wired_where_possible(read.template, strips)


def _spread_words(_template: Template, arguments: dict[str, Any]) -> str:
    names = arguments["names"]
    return f"Add {names[0].partition(chr(9))[0]}" if len(names) == 1 else f"Add {len(names)} strips"


@edit(
    Rows("names"),
    Text("kind", default=""),
    Text("layout", default=""),
    Text("section", default=""),
    Text("machine", default=""),
    Text("feed", default=""),
    Text("sends", default=""),
    Text("inserts", default=""),
    Text("tags", default=""),
    Text("colour", default=""),
    Flag("with_buses", "a bus for each new section", default=False),
    Flag("leave_out", "leave out unclear values", default=False),
    Flag("wire", "wire it up", default=False),
    Words("roles", default=None),
    says=_spread_words,
)
def spread(
    template: Template,
    names: list[str],
    kind: str = "",
    layout: str = "",
    section: str = "",
    machine: str = "",
    feed: str = "",
    sends: str = "",
    inserts: str = "",
    tags: str = "",
    colour: str = "",
    with_buses: bool = False,
    leave_out: bool = False,
    wire: bool = False,
    roles: list[str] | None = None,
) -> Template:
    """A strip for each line, behind the last strip of its section.

    Parameters
    ----------
    template
        The template.
    names
        Lines: a name each, or rows of a table (`lattice.formats.tables`), the first of which may be its heads.
    kind, layout, section, machine, feed, sends, inserts, tags, colour
        Values for cells missing in a line, as cells of the track sheet; `section`, `machine` and `feed` by id or name.
        A new section is created. An empty `feed` is the bus of each strip's section, - is none.
    with_buses
        Whether a new section without a bus gets one.
    leave_out
        Whether problems are left out; otherwise they refuse the edit.
    wire
        Whether names without any route are wired up: sources to their section's bus, buses and returns to the mix, the
        mix to an output.
    roles
        Changes of guessed kinds: “3=audio” for row 3, “print=audio” for all kinds read from that word.

    Raises
    ------
    EditError
        Without a name, with too many of them, or with every problem.
    """
    read = rows_read(
        template, names, kind=kind, layout=layout, section=section, machine=machine, feed=feed, sends=sends,
        inserts=inserts, tags=tags, colour=colour, with_buses=with_buses, roles=roles,
    )  # fmt: skip
    if read.problems and not leave_out:
        raise EditError(*refusal([str(problem) for problem in read.problems]))
    return wired(read) if wire and may_be_wired(read) else read.template
