"""Prints of stems: there, fed as the ledger says, and as wide as what they record."""

from __future__ import annotations

from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.graph.compiled import IN, POST, STAGE_OF_TAP
from lattice.model.document import Stem
from lattice.model.units import words_db
from lattice.model.validate import NO_START


def _feeding(scene: Scene, stem: Stem) -> list[int]:
    """Open routes into a stem's print."""
    number = scene.compiled.index[stem.print or ""]
    return [route for route in scene.compiled.ins[number] if scene.unblocked.route_ok[route]]


@check("stem.unprinted")
def unprinted(scene: Scene) -> Iterator[Finding]:
    """Stems without a print that records them; mixes and composites too, where others of their set have prints."""
    with_prints = {stem.set for stem in scene.template.stems if stem.print is not None}
    for stem in scene.template.stems:
        if stem.strip is None or stem.print == stem.strip or (stem.role != "stem" and stem.set not in with_prints):
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
    """A new print, a feed to the one that is named, or that one put into service: whichever makes it record."""
    compiled = scene.compiled
    source = compiled.index[stem.strip or ""]
    strip = compiled.strips[source]
    sounds_at_tap = strip.in_service and (stem.tap != "post-fader" or compiled.post_open[source])
    if stem.print is None:
        may = sounds_at_tap and strip.kind not in NO_START
        return (Remedy("Make a print for it", (Step("print_stem", {"stem": stem.id}),)),) if may else ()
    end = compiled.index[stem.print]
    name, fed = scene.name(end), [route for route in compiled.ins[end] if compiled.tail[route] == source]
    if not scene.strip(end).in_service:
        wake = Step("change_strip", {"strip": stem.print, "changes": {"in_service": True}})
        records = strip.in_service and any(_opens_with_its_end(scene, route) for route in fed)
        return (Remedy(f"Put {name} into service", (wake,)),) if records else ()
    if fed or not sounds_at_tap or not scene.may_feed(source, end):
        return ()  # a route is there, and something blocks it; or none may be made
    feed = Step("add_route", {"route": {"kind": "feed", "from": stem.strip, "to": stem.print, "tap": stem.tap}})
    return (Remedy(f"Feed it to {name}", (feed,)),)


def _opens_with_its_end(scene: Scene, route: int) -> bool:
    """A route would be open if the strip it ends at were in service."""
    compiled, piece = scene.compiled, scene.compiled.routes[route]
    outlet, tail = compiled.outlet[route], compiled.tail[route]
    if not piece.enabled or (piece.gain_db is None and not piece.automated):
        return False
    if outlet >= 0:
        return compiled.outlets[outlet][1].open
    return compiled.stage[route] != POST or compiled.post_open[tail]


@check("stem.print-differs")
def print_differs(scene: Scene) -> Iterator[Finding]:
    """Prints that record something else than the stem at its tap."""
    for stem in scene.template.stems:
        if stem.role != "stem" or stem.strip is None or stem.print is None or stem.print == stem.strip:
            continue
        own = [route for route in _feeding(scene, stem) if _is_of(scene, stem, route)]
        differing = {route: why for route in _feeding(scene, stem) if (why := _difference(scene, stem, route))}
        if len(own) > 1:
            differing |= {route: "it is fed more than once" for route in own[1:] if route not in differing}
        if own and differing:
            yield Finding(
                code="stem.print-differs",
                severity="warning",
                message=f"{scene.name(scene.compiled.index[stem.print])} does not record {stem.name} as it is tapped",
                strips=(stem.print, stem.strip),
                routes=scene.route_ids(list(differing)),
                stems=(stem.id,),
                evidence=tuple(differing.values()),
                remedies=(Remedy("Feed it the stem alone, as it is tapped, at 0 dB", _alone(scene, stem, own)),),
            )


def _is_of(scene: Scene, stem: Stem, route: int) -> bool:
    """A route that leaves the chain of the stem's strip."""
    return scene.compiled.strips[scene.compiled.tail[route]].id == stem.strip and scene.compiled.outlet[route] < 0


def _difference(scene: Scene, stem: Stem, route: int) -> str:
    """What one route into a print has to do with the file not being what the ledger says; "" for nothing."""
    piece = scene.compiled.routes[route]
    if not _is_of(scene, stem, route):
        if "pop" in scene.strip(scene.compiled.tail[route]).tags:
            return ""  # a sync pop stands in every print, however it comes there
        return f"{scene.name(scene.compiled.tail[route])} feeds it too"
    said = []
    if piece.tap != stem.tap:
        said.append(f"it is fed {piece.tap}, and the stem is taken {stem.tap}")
    if piece.gain_db != 0:
        said.append(f"it is fed at {words_db(piece.gain_db)} dB")
    return "; ".join(said)


def _alone(scene: Scene, stem: Stem, own: list[int]) -> tuple[Step, ...]:
    """One route of the stem's strip is kept and put right, and everything else that could feed the print goes."""
    kept = next((route for route in own if not _difference(scene, stem, route)), own[0])
    into = scene.compiled.ins[scene.compiled.index[stem.print or ""]]
    others = [
        route for route in into if route != kept and (_is_of(scene, stem, route) or _difference(scene, stem, route))
    ]
    steps = [Step("remove_routes", {"routes": list(scene.route_ids(others))})] if others else []
    piece = scene.compiled.routes[kept]
    changes: dict[str, object] = {} if piece.tap == stem.tap else {"tap": stem.tap}
    changes |= {} if piece.gain_db == 0 else {"gain_db": 0.0}
    return (*steps, *([Step("change_route", {"route": piece.id, "changes": changes})] if changes else []))


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
