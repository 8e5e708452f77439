"""Outlets of instruments that nothing takes."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.remedies import feed_remedies
from lattice.checks.scene import Scene
from lattice.model.document import AUDIO_KINDS


@check("route.outlet-unheard")
def outlet_unheard(scene: Scene) -> Iterator[Finding]:
    """Open outlets that nothing listens to."""
    for number in scene.outlets_without_route():
        strip, outlet = scene.compiled.outlets[number]
        piece = scene.strip(strip)
        yield Finding(
            code="route.outlet-unheard",
            severity="warning",
            message=f"Nothing takes outlet {outlet.name or outlet.id} of {piece.name}",
            strips=(piece.id,),
            outlets=(f"{piece.id}/{outlet.id}",),
            evidence=("it is open, and no route leaves it",),
            remedies=_outlet_remedies(scene, strip, number),
        )


def _outlet_remedies(scene: Scene, strip: int, outlet: int) -> tuple[Remedy, ...]:
    piece, known = scene.strip(strip), scene.compiled.outlets[outlet][1]
    shut = Step("change_outlet", {"strip": piece.id, "outlet": known.id, "changes": {"open": False}})
    close = Remedy("Close the outlet", (shut,))
    return (*feed_remedies(scene, strip, outlet), close)


@check("route.outlet-clash")
def outlet_clash(scene: Scene) -> Iterator[Finding]:
    """Outlets that two routes take to different strips."""
    takers: dict[tuple[str, str], list[int]] = {}
    for number, route in enumerate(scene.compiled.routes):
        if route.from_outlet is not None and route.kind in AUDIO_KINDS:
            takers.setdefault((route.from_strip, route.from_outlet), []).append(number)
    for (strip, outlet), routes in takers.items():
        heads = list(dict.fromkeys(scene.compiled.head[route] for route in routes))
        if len(heads) > 1:
            name = scene.name(scene.compiled.index[strip])
            yield Finding(
                code="route.outlet-clash",
                severity="note",
                message=f"Outlet {outlet} of {name} goes to {len(heads)} strips: {scene.names(heads)}",
                strips=(strip, *scene.ids(heads)),
                routes=scene.route_ids(routes),
                outlets=(f"{strip}/{outlet}",),
                evidence=(scene.names(heads),),
            )
