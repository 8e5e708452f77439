"""Cells of the track sheet that hold a small list: inserts, outlets, parts, reception, routes. To text and back.

Entries of a cell stand between semicolons; what has a name ends with `= its name`. Readers raise ValueError with
a sentence about the entry that cannot be read.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, get_args

from msgspec import UNSET

from lattice.model import document as doc
from lattice.model import insert_types
from lattice.model.document import Insert, MidiIn, Outlet, Part, Route, Source
from lattice.model.layouts import LAYOUTS, NAMED
from lattice.model.names import slug
from lattice.model.units import (
    parse_channels,
    parse_db,
    parse_factor,
    parse_hz,
    parse_level,
    parse_ms,
    parse_ratio,
    parse_share,
)

INSERT_TYPES = tuple(insert_types.TRAITS)
STATES = ("bypassed", "unloaded")
TAPS = get_args(doc.Tap)
# As the document’s type has it.
MOST_PORTS = 1024


def entries(text: str) -> Iterator[str]:
    """Entries of a cell, which semicolons separate, without empty ones."""
    return (entry.strip() for entry in text.split(";") if entry.strip())


def _plain_name(name: str) -> str:
    """A name that fits between semicolons."""
    return " ".join(name.replace(";", ",").split())


def _number(text: str, what: str, first: int, last: int) -> int:
    if not (text.isascii() and text.isdecimal() and len(text) <= 10 and first <= int(text) <= last):
        raise ValueError(f"“{text}” is not {what}, {first} to {last}")
    return int(text)


def number_text(value: float) -> str:
    """The shortest text that is read back as the same number."""
    short = f"{value:g}"
    return short if float(short) == value else repr(value)


def level_text(level_db: float | None) -> str:
    """A level as a cell has it: a number of dB, or off."""
    return "off" if level_db is None else number_text(level_db)


# tags: `click pop`, or `click; lead voice` where one has a space in it


def read_tags(text: str) -> tuple[str, ...]:
    """Tags between semicolons; where there is none, between commas or spaces. Known ones are so in any case."""
    words = text.split(";") if ";" in text else text.replace(",", " ").split()
    tags = (" ".join(word.split()) for word in words)
    return tuple(dict.fromkeys(tag.lower() if tag.lower() in doc.KNOWN_TAGS else tag for tag in tags if tag))


def tags_text(tags: tuple[str, ...]) -> str:
    """Tags as a cell has them, so that `read_tags` gives the same again."""
    plain = [_plain_name(tag) for tag in tags]
    return "; ".join(plain) + (";" if len(plain) == 1 and not plain[0].isalnum() else "")


# inserts: `eq; compressor:64 threshold -20 ratio 4 bypassed = Glue`

# What may be set of an insert, by the word for it.
SETTINGS: dict[str, tuple[str, Callable[[str], Any]]] = {
    "threshold": ("threshold_db", parse_level),
    "ratio": ("ratio", parse_ratio),
    "ceiling": ("ceiling_db", parse_level),
    "gain": ("gain_db", parse_level),
    "wet": ("wet", parse_share),
    "delay": ("delay_ms", parse_ms),
    "feedback": ("feedback", parse_factor),
    "attack": ("attack_ms", parse_ms),
    "release": ("release_ms", parse_ms),
    "low-cut": ("low_cut_hz", parse_hz),
    "high-cut": ("high_cut_hz", parse_hz),
    "pre-delay": ("pre_delay_ms", parse_ms),
    "in": ("layout_in", str),
    "out": ("layout_out", str),
}


def read_insert(entry: str, new_id: str) -> Insert:
    """An insert like “compressor:64 threshold -20 ratio 4 bypassed = Glue”.

    Parameters
    ----------
    entry
        Type, latency in samples, settings (a word and its value each), state, name.
    new_id
        Its id.

    Raises
    ------
    ValueError
        With a sentence.
    """
    said, _equals, name = (piece.strip() for piece in entry.partition("="))
    head, *words = said.lower().split()
    kind, _colon, latency = head.partition(":")
    if kind not in INSERT_TYPES:
        raise ValueError(f"“{kind}” is not one of {', '.join(INSERT_TYPES)}")
    fields: dict[str, Any] = {"id": new_id, "name": name, "type": kind}
    if latency:
        fields["latency_samples"] = _number(latency, "a latency in samples", 0, 1_000_000_000)
    given = iter(words)
    for word in given:
        if word in STATES:
            fields["state"] = word
        elif word in SETTINGS and (value := next(given, None)) is not None:
            field, read = SETTINGS[word]
            fields[field] = read(value)
        else:
            raise ValueError(
                f"“{word}” is not one of {', '.join(STATES)}, or one of {', '.join(SETTINGS)} and its value"
            )
    return Insert(**fields)


def insert_text(insert: Insert) -> str:
    """An insert as `read_insert` reads it; its other fields are not in a sheet."""
    latency = f":{insert.latency_samples}" if insert.latency_samples else ""
    return f"{insert.type}{latency}{'' if insert.state == 'on' else f' {insert.state}'}"


# outlets: `1-2 stereo main = Kit; 3-4 mono closed -12/-24 = Snare`


def read_outlet(entry: str) -> Outlet:
    """An outlet like “3-4 stereo closed -6/-18 = Room”: id, layout, marks, levels and name.

    Raises ValueError with a sentence.
    """
    head, _equals, name = (piece.strip() for piece in entry.partition("="))
    wanted, *words = head.lower().split()
    _an_id(wanted)
    fields: dict[str, Any] = {"id": wanted, "name": name}
    for word in words:
        if word in LAYOUTS:
            fields["layout"] = word
        elif word in ("main", "closed"):
            fields |= {"main": True} if word == "main" else {"open": False}
        elif word == "silent":
            fields["source"] = None
        elif "/" in word:
            fields["source"] = _source(word)
        else:
            raise ValueError(
                f"“{word}” is not a layout ({', '.join(NAMED)}), main, closed, silent or levels like -6/-18"
            )
    return Outlet(**fields)


def _an_id(text: str) -> None:
    if slug(text) != text:
        raise ValueError(f"“{text}” is not an id: a–z, 0–9 and -")


def _source(word: str) -> Source:
    peak, rms = (parse_db(piece) for piece in word.split("/", 1))
    if peak is None or rms is None:
        raise ValueError(f"“{word}” is not two levels like -6/-18")
    return Source(peak_dbfs=peak, rms_dbfs=rms)


def _source_text(source: Source) -> str:
    return f"{number_text(source.peak_dbfs)}/{number_text(source.rms_dbfs)}"


def outlet_text(outlet: Outlet) -> str:
    """An outlet as `read_outlet` reads it."""
    words = [outlet.id, outlet.layout, *(["main"] if outlet.main else []), *([] if outlet.open else ["closed"])]
    if outlet.source is not UNSET:
        words.append(_source_text(outlet.source) if outlet.source else "silent")
    return " ".join(words) + (f" = {_plain_name(outlet.name)}" if outlet.name else "")


# parts: `snare note 38 channel 10 port 1 outlet 3-4 = Snare`


def read_part(entry: str) -> Part:
    """A part like “kick note 36 channel 10 outlet 3-4 = Kick drum”. Raises ValueError with a sentence."""
    head, _equals, name = (piece.strip() for piece in entry.partition("="))
    wanted, *words = head.lower().split()
    _an_id(wanted)
    fields: dict[str, Any] = {"id": wanted, "name": name}
    if len(words) % 2:
        raise ValueError(f"“{entry}”: after the id come pairs like note 38, channel 10, port 1, outlet 3-4")
    for what, value in zip(words[::2], words[1::2], strict=True):
        limits = {"note": (0, 127), "channel": (1, 16), "port": (1, MOST_PORTS)}
        if what in limits:
            fields[what] = _number(value, f"a {what}", *limits[what])
        elif what == "outlet":
            fields[what] = value
        else:
            raise ValueError(f"“{what}” is not one of note, channel, port, outlet")
    return Part(**fields)


def part_text(part: Part) -> str:
    """A part as `read_part` reads it."""
    words = [part.id, *(["port", str(part.port)] if part.port != 1 else [])]
    for what in ("channel", "note", "outlet"):
        value = getattr(part, what)
        words += [what, str(value)] if value is not None else []
    return " ".join(words) + (f" = {_plain_name(part.name)}" if part.name else "")


# what an instrument receives: `2: all`, `1: 1-4, 10`


def read_midi_in(text: str) -> MidiIn:
    """Reception of an instrument like “2: 1-4, 10”: ports, and channels, all or none.

    Raises ValueError with a sentence.
    """
    ports, _colon, channels = (piece.strip() for piece in text.partition(":"))
    count = _number(ports, "a number of ports", 1, MOST_PORTS)
    if channels.lower() in ("", "all"):
        return MidiIn(ports=count)
    if channels.lower() == "none":
        return MidiIn(ports=count, channels=())
    listed = parse_channels(channels) or ()
    if max(listed, default=0) > 16:
        raise ValueError(f"“{channels}” goes beyond channel 16 (MIDI 1.0)")
    return MidiIn(ports=count, channels=listed)


def midi_in_text(midi: MidiIn | None) -> str:
    """Reception as `read_midi_in` reads it; nothing where there is none."""
    if midi is None:
        return ""
    channels = "all" if midi.channels == "all" else ", ".join(map(str, midi.channels)) or "none"
    return f"{midi.ports}: {channels}"


# routes: `3-4>snare`, `booth@-14 pre-fader`, `bass-bus/duck@0`, `kit@2.10 disabled`


FLAGS: dict[str, dict[str, Any]] = {"disabled": {"enabled": False}, "automated": {"automated": True}}


GAIN = "gain="  # of a midi route, whose level is taken by port and channel


def _is_flag(word: str) -> bool:
    return word in (*TAPS, *FLAGS) or word.startswith(GAIN)


@dataclass(frozen=True)
class ReadRoute:
    """What an entry says of a route: where to, as it is written there, and the fields it sets."""

    target: str
    insert: str | None
    fields: dict[str, Any]


def read_route(entry: str, kind: str) -> ReadRoute:
    """A route like “3-4>Bus@-6 pre-fader disabled”: outlet, place, level or midi channel, tap, marks.

    Parameters
    ----------
    entry
        One entry of a cell of routes.
    kind
        The kind of routes that the column holds.

    Returns
    -------
    ReadRoute
        The place as it is written, still to be looked up.

    Raises
    ------
    ValueError
        With a sentence.
    """
    place = entry
    fields: dict[str, Any] = {}
    while " " in place and _is_flag(word := place.rsplit(" ", 1)[1].lower()):
        place = place.rsplit(" ", 1)[0].strip()
        gain = word.removeprefix(GAIN)
        fields |= FLAGS.get(word) or ({"gain_db": parse_db(gain)} if gain != word else {"tap": word})
    outlet, arrow, rest = place.partition(">")
    if arrow:
        place, fields["from_outlet"] = rest, outlet.strip()
    place, _at, level = place.rpartition("@") if "@" in place else (place, "", "")
    if level and kind == "midi":
        fields.update(_port_and_channel(level.strip()))
    elif level:
        fields["gain_db"] = parse_db(level)
    target, insert = place.strip(), None
    if kind == "key":
        target, _slash, insert = (piece.strip() for piece in target.partition("/"))
    return ReadRoute(target, insert, fields)


def _port_and_channel(text: str) -> dict[str, int]:
    port, _dot, channel = text.partition(".")
    found = {"port": _number(port, "a midi port", 1, MOST_PORTS)} if port else {}
    return found | ({"channel": _number(channel, "a midi channel", 1, 16)} if channel else {})


def route_text(route: Route, place: str) -> str:
    """An entry of the cell of its kind; `place` is where it goes, for keys with the insert."""
    level = ""
    if route.kind == "midi":
        level = f"{route.port or ''}{f'.{route.channel}' if route.channel else ''}"
    elif route.gain_db != 0 or route.kind in ("send", "key"):
        level = level_text(route.gain_db)
    words = [f"{route.from_outlet}>{place}" if route.from_outlet else place]
    words[0] += f"@{level}" if level else ""
    words += [f"{GAIN}{level_text(route.gain_db)}"] if route.kind == "midi" and route.gain_db != 0 else []
    words += [route.tap] if route.tap != "post-fader" else []
    words += (["disabled"] if not route.enabled else []) + (["automated"] if route.automated else [])
    return " ".join(words)
