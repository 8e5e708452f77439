"""Prints of stems: there, fed as the ledger says, and as wide as what they record."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.compiled import IN, STAGE_OF_TAP
from lattice.model.document import Stem
from lattice.model.units import words_db


def _feeding(scene: Scene, stem: Stem) -> list[int]:
    """Open routes into a stem's print."""
    number = scene.compiled.index[stem.print or ""]
    return [route for route in scene.compiled.ins[number] if scene.unblocked.route_ok[route]]


@check("stem.unprinted")
def unprinted(scene: Scene) -> Iterator[Finding]:
    """Stems without a print that records them."""
    for stem in scene.template.stems:
        if stem.role != "stem" or stem.strip is None or stem.print == stem.strip:
            continue
        why = _why_unprinted(scene, stem)
        if why:
            strips = [stem.strip, *([stem.print] if stem.print else [])]
            yield Finding(
                code="stem.unprinted",
                severity="warning",
                message=f"{stem.name} is not printed: {why}",
                strips=tuple(strips),
                stems=(stem.id,),
                evidence=(why,),
                remedies=_printing(scene, stem),
            )


def _why_unprinted(scene: Scene, stem: Stem) -> str:
    index, compiled = scene.compiled.index, scene.compiled
    if stem.print is None:
        return "no print is named"
    strip = scene.strip(index[stem.print])
    if not strip.in_service:
        return f"{strip.name} is out of service"
    own = [route for route in _feeding(scene, stem) if compiled.tail[route] == index[stem.strip or ""]]
    return "" if own else f"{scene.name(index[stem.strip or ''])} does not feed {strip.name}"


def _printing(scene: Scene, stem: Stem) -> tuple[Remedy, ...]:
    """A new print, or a feed to the one that is named."""
    if stem.print is None:
        return (Remedy("Make a print for it", (Step("print_stem", {"stem": stem.id}),)),)
    strip, index = scene.strip(scene.compiled.index[stem.print]), scene.compiled.index
    if not strip.in_service:
        return (
            Remedy(
                f"Put {strip.name} into service",
                (Step("change_strip", {"strip": strip.id, "changes": {"in_service": True}}),),
            ),
        )
    if scene.compiled.machine_of(index[stem.print]) != scene.compiled.machine_of(index[stem.strip or ""]):
        return ()
    if any(scene.compiled.tail[route] == index[stem.strip or ""] for route in scene.compiled.ins[index[stem.print]]):
        return ()  # a route is there, and something blocks it
    route = {"kind": "feed", "from": stem.strip, "to": stem.print, "tap": stem.tap}
    return (Remedy(f"Feed it to {strip.name}", (Step("add_route", {"route": route}),)),)


@check("stem.print-differs")
def print_differs(scene: Scene) -> Iterator[Finding]:
    """Prints that record something else than the stem at its tap."""
    compiled = scene.compiled
    for stem in scene.template.stems:
        if stem.role != "stem" or stem.strip is None or stem.print is None or stem.print == stem.strip:
            continue
        own, tap = compiled.index[stem.strip], STAGE_OF_TAP[stem.tap]
        lines, steps, routes = [], [], []
        for route in _feeding(scene, stem):
            piece = compiled.routes[route]
            if compiled.tail[route] != own or compiled.outlet[route] >= 0:
                lines.append(f"{scene.name(compiled.tail[route])} feeds it too")
                steps.append(Step("remove_routes", {"routes": [piece.id]}))
            else:
                changes: dict[str, object] = {}
                if compiled.stage[route] != tap:
                    lines.append(f"it is fed {piece.tap}, and the stem is taken {stem.tap}")
                    changes["tap"] = stem.tap
                if piece.gain_db != 0:
                    lines.append(f"it is fed at {words_db(piece.gain_db)} dB")
                    changes["gain_db"] = 0.0
                if not changes:
                    continue
                steps.append(Step("change_route", {"route": piece.id, "changes": changes}))
            routes.append(piece.id)
        if lines and any(compiled.tail[route] == own for route in _feeding(scene, stem)):
            yield Finding(
                code="stem.print-differs",
                severity="warning",
                message=f"{scene.name(compiled.index[stem.print])} does not record {stem.name} as it is tapped",
                strips=(stem.print, stem.strip),
                routes=tuple(routes),
                stems=(stem.id,),
                evidence=tuple(lines),
                remedies=(Remedy("Feed it the stem alone, as it is tapped, at 0 dB", tuple(steps)),),
            )


@check("stem.print-inserts")
def print_inserts(scene: Scene) -> Iterator[Finding]:
    """Inserts on prints that record what comes in: they are not in the file."""
    for print_id in dict.fromkeys(stem.print for stem in scene.template.stems if stem.print):
        strip = scene.strip(scene.compiled.index[print_id])
        if strip.kind == "print" and strip.records == "in" and strip.inserts:
            take = Step("change_strip", {"strip": strip.id, "changes": {"records": "pre"}})
            names = ", ".join(insert.name or insert.type for insert in strip.inserts)
            yield Finding(
                code="stem.print-inserts",
                severity="note",
                message=f"{strip.name} records before its inserts: they are not in the file",
                strips=(strip.id,),
                inserts=tuple(insert.id for insert in strip.inserts),
                stems=tuple(stem.id for stem in scene.template.stems if stem.print == print_id),
                evidence=(names,),
                remedies=(Remedy("Record behind them", (take,)),),
            )


@check("stem.layout")
def layouts(scene: Scene) -> Iterator[Finding]:
    """Stems whose layout is not that of what is taken or printed, and mixes in a layout nobody asked for."""
    compiled, wanted = scene.compiled, scene.template.profile.layouts
    for stem in scene.template.stems:
        lines, strips = [], []
        if stem.strip is not None:
            number = compiled.index[stem.strip]
            leaves = scene.strip(number).layout if STAGE_OF_TAP[stem.tap] == IN else compiled.chain_layout[number]
            strips.append(stem.strip)
            if leaves != stem.layout:
                lines.append(f"{scene.name(number)} gives {leaves}")
        if stem.print is not None and (layout := scene.strip(compiled.index[stem.print]).layout) != stem.layout:
            strips.append(stem.print)
            lines.append(f"{scene.name(compiled.index[stem.print])} records {layout}")
        if stem.role == "mix" and stem.layout not in wanted:
            lines.append(f"the profile asks for {', '.join(wanted)}")
        if lines:
            yield Finding(
                code="stem.layout",
                severity="warning",
                message=f"{stem.name} is said to be {stem.layout}, but {' and '.join(lines)}",
                strips=tuple(dict.fromkeys(strips)),
                stems=(stem.id,),
                evidence=tuple(lines),
            )
