"""Sets around an instrument: strips that listen to its outlets, strips that play it."""

from __future__ import annotations

from msgspec.structs import replace

from lattice.edits.channels import next_midi
from lattice.edits.pieces import free_route_ids, strip_of, with_strip
from lattice.errors import EditError
from lattice.model.document import LONGEST_LABEL, Outlet, Route, Strip, Template, main_outlet
from lattice.model.names import free_id, slug

MOST_NOTES = 512


def outlet_set(template: Template, strip: str, bus: str | None = None) -> Template:
    """A listening strip for each outlet that nothing takes, named after its parts, in order, fed to a bus.

    Closed outlets are opened. The main outlet enters the instrument's own chain: that is fed to the bus
    where it goes nowhere yet. `bus` None: the bus of the instrument's section.
    """
    index, kit = strip_of(template, strip)
    if len(kit.outlets) < 2:
        raise EditError(f"{kit.name} has no outlets beside its main one")
    bus = bus or next((section.bus for section in template.sections if section.id == kit.section), None)
    template = with_strip(
        template, index, replace(kit, outlets=tuple(replace(outlet, open=True) for outlet in kit.outlets))
    )
    taken = {known.id for known in template.strips}
    heard = {route.from_outlet for route in template.routes if route.from_strip == strip and route.kind != "key"}
    ids, listeners, routes = free_route_ids(template), [], []
    for outlet in kit.outlets:
        if outlet is main_outlet(kit) or outlet.id in heard:
            continue
        name = _named_after(kit, outlet)
        listener = Strip(
            id=free_id(slug(name), taken), name=name, kind="audio", layout=outlet.layout, section=kit.section,
            machine=kit.machine, source=None, monitor="always",
        )  # fmt: skip
        taken.add(listener.id)
        listeners.append(listener)
        routes.append(Route(id=next(ids), kind="feed", from_strip=strip, from_outlet=outlet.id, to=listener.id))
        if bus:
            routes.append(Route(id=next(ids), kind="feed", from_strip=listener.id, to=bus))
    if not listeners:
        raise EditError(f"every outlet of {kit.name} is taken already")
    if bus and None not in heard and bus != strip:
        routes.append(Route(id=next(ids), kind="feed", from_strip=strip, to=bus))
    strips = (*template.strips[: index + 1], *listeners, *template.strips[index + 1 :])
    return replace(template, strips=strips, routes=(*template.routes, *routes))


def _named_after(kit: Strip, outlet: Outlet) -> str:
    """“Snare, Rim” where parts come out of the outlet, else “Kit 3–4”."""
    parts = [part.name or part.id for part in kit.parts if part.outlet == outlet.id]
    return (", ".join(parts[:3]) or f"{kit.name} {outlet.name or outlet.id}")[:LONGEST_LABEL]


def note_set(template: Template, strip: str, names: list[str]) -> Template:
    """Midi strips that play an instrument, on free channels in sequence: 16 a port, then the next port."""
    index, kit = strip_of(template, strip)
    names = [name.strip() for name in names if name.strip()]
    if kit.kind != "instrument":
        raise EditError(f"{kit.name} is of kind {kit.kind}; notes play instruments")
    if not 1 <= len(names) <= MOST_NOTES:
        raise EditError(f"{len(names)} names; allowed are 1 to {MOST_NOTES}")
    taken = {known.id for known in template.strips}
    ids, strips = free_route_ids(template), []
    routes: list[Route] = []
    for name in names:
        new = Strip(id=free_id(slug(name), taken), name=name, kind="midi", section=kit.section)
        taken.add(new.id)
        port, channel = next_midi(template, routes, strip, routes[-1].port or 1 if routes else 1)
        strips.append(new)
        routes.append(Route(id=next(ids), kind="midi", from_strip=new.id, to=strip, port=port, channel=channel))
    return replace(
        template,
        strips=(*template.strips[:index], *strips, *template.strips[index:]),
        routes=(*template.routes, *routes),
    )
