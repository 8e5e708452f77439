"""Parts of instruments and choices between strips: what of them is heard, played, and where."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.registry import check
from lattice.checks.scene import Scene
from lattice.model.document import Outlet, Part, Strip, main_outlet


def outlet_of(strip: Strip, part: Part) -> Outlet | None:
    """The outlet a part comes out of: the one it names, else the main one."""
    return next((outlet for outlet in strip.outlets if outlet.id == part.outlet), main_outlet(strip))


def _parts(scene: Scene) -> Iterator[tuple[int, Strip, Part]]:
    for number in scene.compiled.by_kind["instrument"]:
        strip = scene.strip(number)
        if strip.parts and not scene.is_kept_apart(number):
            for part in strip.parts:
                yield number, strip, part


@check("part.unheard")
def unheard_parts(scene: Scene) -> Iterator[Finding]:
    """Parts whose outlet is closed or reaches no endpoint."""
    for number, strip, part in _parts(scene):
        outlet = outlet_of(strip, part)
        node = scene.compiled.outlet_index.get((number, outlet.id), -1) if outlet else -1
        heard = scene.heard.own[number] if node < 0 else scene.heard.outlet[node]
        is_open = outlet is None or outlet.open
        if heard and is_open:
            continue
        where = f"outlet {outlet.name or outlet.id}" if outlet else "the instrument"
        opening = Step(
            "change_outlet", {"strip": strip.id, "outlet": outlet.id if outlet else "", "changes": {"open": True}}
        )
        why = "reaches no endpoint" if is_open else "is closed"
        yield Finding(
            code="part.unheard",
            severity="warning",
            message=f"{part.name or part.id} of {strip.name} is not heard: {where} {why}",
            strips=(strip.id,),
            outlets=(f"{strip.id}/{outlet.id}",) if outlet else (),
            others=(f"{strip.id}/{part.id}",),
            evidence=(f"it comes out on {where}",),
            cause="" if is_open else f"{where} of {strip.name} is closed",
            remedies=() if is_open else (Remedy(f"Open {where}", (opening,)),),
        )


def played_on(scene: Scene) -> dict[int, list[tuple[int, int | None]]]:
    """By instrument, (port, channel or None for all) of the enabled midi routes that end at it."""
    compiled = scene.compiled
    found: dict[int, list[tuple[int, int | None]]] = defaultdict(list)
    for number in compiled.midis:
        if compiled.routes[number].enabled:
            found[compiled.head[number]].append((compiled.routes[number].port or 1, compiled.routes[number].channel))
    return found


@check("part.unplayed")
def unplayed_parts(scene: Scene) -> Iterator[Finding]:
    """Parts that no midi route reaches, in instruments that some midi route reaches."""
    played = played_on(scene)
    for number, strip, part in _parts(scene):
        if number in played and not any(_plays(part, port, channel) for port, channel in played[number]):
            channel = "all channels" if part.channel is None else f"channel {part.channel}"
            yield Finding(
                code="part.unplayed",
                severity="note",
                message=f"No midi reaches {part.name or part.id} of {strip.name}",
                strips=(strip.id,),
                others=(f"{strip.id}/{part.id}",),
                evidence=(f"it listens on port {part.port}, {channel}",),
            )


def _plays(part: Part, port: int, channel: int | None) -> bool:
    return port == part.port and (channel is None or part.channel is None or channel == part.channel)


@check("part.all-first")
def all_on_the_first_outlet(scene: Scene) -> Iterator[Finding]:
    """Instruments with several open outlets whose parts all come out of the first."""
    for number in scene.compiled.by_kind["instrument"]:
        strip = scene.strip(number)
        opened = sum(outlet.open for outlet in strip.outlets)
        if len(strip.parts) < 2 or opened < 2:
            continue
        if all(outlet_of(strip, part) is strip.outlets[0] for part in strip.parts):
            lay = Step("lay_parts", {"strip": strip.id})
            yield Finding(
                code="part.all-first",
                severity="warning",
                message=f"All {len(strip.parts)} parts of {strip.name} come out of its first outlet",
                strips=(strip.id,),
                outlets=(f"{strip.id}/{strip.outlets[0].id}",),
                evidence=(f"{opened} outlets are open; a reloaded kit puts all parts on the first",),
                remedies=(Remedy("Lay the parts over the open outlets in order", (lay,)),),
            )


@check("choice.wrong")
def wrong_choices(scene: Scene) -> Iterator[Finding]:
    """Choices of which not as many members sound as they should."""
    for choice in scene.template.choices:
        sounding = [member for member in choice.members if _sounds(scene, member)]
        if len(sounding) != choice.sounding:
            yield Finding(
                code="choice.wrong",
                severity="warning",
                message=f"{choice.name}: {len(sounding)} sound, {choice.sounding} should",
                strips=tuple(dict.fromkeys(member.partition("/")[0] for member in choice.members)),
                outlets=tuple(member for member in choice.members if "/" in member),
                others=(choice.id,),
                evidence=(f"sounding: {', '.join(sounding) or 'none'}", f"of {', '.join(choice.members) or 'none'}"),
            )


def _sounds(scene: Scene, member: str) -> bool:
    """The member's sound is heard at an endpoint now."""
    strip, _slash, outlet = member.partition("/")
    number = scene.compiled.index[strip]
    node = scene.compiled.outlet_index.get((number, outlet), -1) if outlet else -1
    if node >= 0:
        return scene.unblocked.outlet_sounds(node) and scene.heard.outlet[node]
    if scene.unblocked.sounds[number] and scene.heard.own[number]:
        return True
    return scene.sounds.fed[number] and scene.heard.fed[number]
