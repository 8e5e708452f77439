"""Faults of a simulated session: the differences it can have from its map."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from msgspec.structs import replace

from lattice.errors import EditError
from lattice.model.document import Insert, Route, Strip, Template
from lattice.model.layouts import channel_count
from lattice.model.names import free_id, free_route_ids
from lattice.model.validate import route_rules

MOST_LATE = 10_000_000
P = TypeVar("P", Strip, Route)


@dataclass
class Session:
    """A session as built: its template, and the faults that no template can express."""

    template: Template
    crossed: set[str] = field(default_factory=set)  # strips whose first two channels are exchanged
    late_prints: dict[str, int] = field(default_factory=dict)  # stem → samples
    silent_prints: set[str] = field(default_factory=set)
    dropped: set[str] = field(default_factory=set)


@dataclass(frozen=True)
class FaultKind:
    """One kind of fault: its name, its argument and its description."""

    word: str
    form: str
    found: str
    put_in: Callable[[Session, Sequence[str]], None]


def _one(pieces: Iterable[P], piece_id: str, what: str) -> P:
    for piece in pieces:
        if piece.id == piece_id:
            return piece
    raise EditError(f"{what} {piece_id} does not exist")


def _strip(session: Session, strip_id: str) -> Strip:
    return _one(session.template.strips, strip_id, "strip")


def _with(session: Session, old: Strip | Route, new: Strip | Route) -> None:
    name = "strips" if isinstance(old, Strip) else "routes"
    pieces = tuple(new if piece is old else piece for piece in getattr(session.template, name))
    session.template = replace(session.template, **{name: pieces})


def _decibels(text: str) -> float:
    try:
        value = float(text.replace("−", "-"))
    except ValueError:
        value = float("nan")
    if not abs(value) <= 100:
        raise EditError(f"“{text}” is not a level from −100 to +100 dB")
    return value


def _samples(text: str) -> int:
    if not text.lstrip("-").isdecimal() or abs(int(text)) > MOST_LATE:
        raise EditError(f"“{text}” is not a number of samples from −{MOST_LATE} to {MOST_LATE}")
    return int(text)


def _stem(session: Session, stem_id: str) -> str:
    if all(stem.id != stem_id for stem in session.template.stems):
        raise EditError(f"stem {stem_id} does not exist")
    return stem_id


def _off(session: Session, words: Sequence[str]) -> None:
    route = _one(session.template.routes, words[0], "route")
    _with(session, route, replace(route, enabled=False))


def _gain(session: Session, words: Sequence[str]) -> None:
    route = _one(session.template.routes, words[0], "route")
    _with(session, route, replace(route, gain_db=(route.gain_db or 0.0) + _decibels(words[1])))


def _fader(session: Session, words: Sequence[str]) -> None:
    strip = _strip(session, words[0])
    _with(session, strip, replace(strip, fader_db=(strip.fader_db or 0.0) + _decibels(words[1])))


def _swap(session: Session, words: Sequence[str]) -> None:
    strip = _strip(session, words[0])
    if channel_count(strip.layout) < 2:
        raise EditError(f"{strip.name} has one channel; two are needed to swap")
    session.crossed.add(strip.id)


def _polarity(session: Session, words: Sequence[str]) -> None:
    strip = _strip(session, words[0])
    _with(session, strip, replace(strip, invert=not strip.invert))


def _late(session: Session, words: Sequence[str]) -> None:
    strip, samples = _strip(session, words[0]), _samples(words[1])
    if samples < 0:
        raise EditError("a print cannot start before the session")
    taken = {insert.id for one in session.template.strips for insert in one.inserts}
    unreported = Insert(id=free_id("unreported", taken), name="Unreported", measured_latency_samples=samples)
    _with(session, strip, replace(strip, inserts=(*strip.inserts, unreported)))


def _feed(session: Session, words: Sequence[str]) -> None:
    source, end = (_strip(session, word) for word in words[:2])
    route = Route(id=next(iter(free_route_ids(session.template))), kind="feed", from_strip=source.id, to=end.id)
    refused = route_rules(session.template)(route)
    if refused:
        raise EditError(*refused)
    session.template = replace(session.template, routes=(*session.template.routes, route))


def _bypass(session: Session, words: Sequence[str]) -> None:
    for strip in session.template.strips:
        for insert in strip.inserts:
            if insert.id == words[0]:
                state = replace(insert, state="bypassed")
                inserts = tuple(state if one is insert else one for one in strip.inserts)
                _with(session, strip, replace(strip, inserts=inserts))
                return
    raise EditError(f"insert {words[0]} does not exist")


def _mute(session: Session, words: Sequence[str]) -> None:
    strip = _strip(session, words[0])
    _with(session, strip, replace(strip, mute=True))


def _late_print(session: Session, words: Sequence[str]) -> None:
    session.late_prints[_stem(session, words[0])] = _samples(words[1])


def _silent_print(session: Session, words: Sequence[str]) -> None:
    session.silent_prints.add(_stem(session, words[0]))


def _drop(session: Session, words: Sequence[str]) -> None:
    session.dropped.add(_stem(session, words[0]))


FAULTS: tuple[FaultKind, ...] = (
    FaultKind("off", "off:ROUTE", "a disabled route", _off),
    FaultKind("gain", "gain:ROUTE:+3", "a route at a different level, dB", _gain),
    FaultKind("fader", "fader:STRIP:-2", "a fader at a different level, dB", _fader),
    FaultKind("swap", "swap:STRIP", "the first two channels of a strip swapped", _swap),
    FaultKind("polarity", "polarity:STRIP", "a strip with inverted polarity", _polarity),
    FaultKind("late", "late:STRIP:64", "an unreported latency in a strip, samples", _late),
    FaultKind("feed", "feed:SOURCE:STRIP", "a feed missing on the map", _feed),
    FaultKind("bypass", "bypass:INSERT", "a bypassed insert", _bypass),
    FaultKind("mute", "mute:STRIP", "a muted strip", _mute),
    FaultKind("late-print", "late-print:STEM:441", "a late print, samples", _late_print),
    FaultKind("silent-print", "silent-print:STEM", "a silent print", _silent_print),
    FaultKind("drop", "drop:STEM", "a missing file of a print", _drop),
)
BY_WORD = {kind.word: kind for kind in FAULTS}


def built(template: Template, faults: Iterable[str]) -> Session:
    """A session built from a template, with faults.

    Parameters
    ----------
    template
        The map.
    faults
        Like "gain:r12:+3"; the forms are those of FAULTS.

    Raises
    ------
    EditError
        Where there is no such fault, or no such place for it.
    """
    session = Session(template)
    for fault in faults:
        word, *words = fault.split(":")
        kind = BY_WORD.get(word)
        if kind is None:
            raise EditError(f"“{fault}” is not a fault; use one of {', '.join(one.form for one in FAULTS)}")
        if len(words) != kind.form.count(":") or not all(words):
            raise EditError(f"“{fault}”: written {kind.form}")
        kind.put_in(session, words)
    return session
