"""Physical channels typed as an end of a route: the strip that has them, made where none does."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.errors import EditError
from lattice.formats.tables.words import Physical, physical_of
from lattice.model.document import MAX_STRIPS, Strip, Template, machine_id
from lattice.model.layouts import layout_of_count
from lattice.model.names import free_id, slug


def with_physical_end(template: Template, end: str) -> tuple[Template, str]:
    """A template in which an end of a route is a strip.

    Parameters
    ----------
    template
        The template.
    end
        The id of a strip, or physical channels of the main machine like “Out 3-4” or “In 5”.

    Returns
    -------
    tuple of Template and str
        The template, with a new output or input where no strip has these channels, and the id of the strip. An end that
        names neither is returned as it is.

    Raises
    ------
    EditError
        Where another strip has some of the channels.
    """
    physical = physical_of(end)
    if physical is None or any(strip.id == end for strip in template.strips):
        return template, end
    known = _strip_with(template, physical)
    if known is not None:
        return template, known
    if len(template.strips) >= MAX_STRIPS:
        raise EditError(f"at most {MAX_STRIPS} strips are allowed")
    new = Strip(
        id=free_id(slug(physical.name), {strip.id for strip in template.strips}),
        name=physical.name,
        kind="output" if physical.is_output else "input",
        layout=layout_of_count(len(physical.channels)),
        io=physical.channels,
    )
    return replace(template, strips=(*template.strips, new)), new.id


def _strip_with(template: Template, physical: Physical) -> str | None:
    """The strip of the main machine with these channels. Raises EditError for one with some of them."""
    kind, main = "output" if physical.is_output else "input", template.machines[0].id
    for strip in template.strips:
        if strip.kind != kind or machine_id(template, strip) != main or not strip.io:
            continue
        if tuple(strip.io) == physical.channels:
            return strip.id
        shared = sorted(set(strip.io) & set(physical.channels))
        if shared:
            raise EditError(f"{physical.name}: channel {shared[0]} is that of {strip.name}")
    return None
