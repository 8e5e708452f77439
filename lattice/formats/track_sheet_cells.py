"""Cells of the track sheet that hold a small list: tags, outlets, parts, reception, routes. To text and back.

Inserts have a module of their own (`insert_cells`). Semicolons separate the entries of a cell; a name follows the last
`=` of its entry. Readers raise ValueError with a sentence about the unreadable entry.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, get_args

from msgspec import UNSET

from lattice.model import document as doc
from lattice.model.document import SIDES, MidiIn, Outlet, Part, Route, Source
from lattice.model.layouts import LAYOUTS, NAMED
from lattice.model.names import slug
from lattice.model.units import parse_channels, parse_db, parse_pan

TAPS = get_args(doc.Tap)
# As the document’s type has it.
MOST_PORTS = 1024


def entries(text: str) -> Iterator[str]:
    """Entries of a cell, which semicolons separate, without empty ones."""
    return (entry.strip() for entry in text.split(";") if entry.strip())


def plain_name(name: str) -> str:
    """A name that fits between semicolons."""
    return " ".join(name.replace(";", ",").split())


def read_number(text: str, what: str, first: int, last: int) -> int:
    """A whole number within a range; `what` is its name in messages. Raises ValueError with a sentence."""
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
    plain = [plain_name(tag) for tag in tags]
    return "; ".join(plain) + (";" if len(plain) == 1 and not plain[0].isalnum() else "")


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
        raise ValueError(f"“{text}” is not an ID: a–z, 0–9 and -")


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
    return " ".join(words) + (f" = {plain_name(outlet.name)}" if outlet.name else "")


# parts: `snare note 38 channel 10 port 1 outlet 3-4 = Snare`


def read_part(entry: str) -> Part:
    """A part like “kick note 36 channel 10 outlet 3-4 = Kick drum”. Raises ValueError with a sentence."""
    head, _equals, name = (piece.strip() for piece in entry.partition("="))
    wanted, *words = head.lower().split()
    _an_id(wanted)
    fields: dict[str, Any] = {"id": wanted, "name": name}
    if len(words) % 2:
        raise ValueError(f"“{entry}”: pairs must follow the ID, like note 38, channel 10, port 1, outlet 3-4")
    for what, value in zip(words[::2], words[1::2], strict=True):
        limits = {"note": (0, 127), "channel": (1, 16), "port": (1, MOST_PORTS)}
        if what in limits:
            fields[what] = read_number(value, f"a {what}", *limits[what])
        elif what == "outlet":
            fields[what] = value
        elif what == "side" and value.upper() in SIDES:
            fields[what] = value.upper()
        else:
            raise ValueError(f"“{what} {value}” is not one of note, channel, port, outlet, side L, side R")
    return Part(**fields)


def part_text(part: Part) -> str:
    """A part as `read_part` reads it."""
    words = [part.id, *(["port", str(part.port)] if part.port != 1 else [])]
    for what in ("channel", "note", "outlet", "side"):
        value = getattr(part, what)
        words += [what, str(value)] if value is not None else []
    return " ".join(words) + (f" = {plain_name(part.name)}" if part.name else "")


# ports and channels of an instrument: `2: all`, `1: 1-4, 10`


def read_midi_in(text: str) -> MidiIn:
    """Reception of an instrument like “2: 1-4, 10”: ports, and channels, all or none.

    Raises ValueError with a sentence.
    """
    ports, _colon, channels = (piece.strip() for piece in text.partition(":"))
    count = read_number(ports, "a number of ports", 1, MOST_PORTS)
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


# routes: `3-4>snare`, `booth@-14 pre-fader`, `bass-bus/duck@0`, `kit@2.10 disabled`, `desk ch=1:3,2:4 pan=-0.5`


FLAGS: dict[str, dict[str, Any]] = {"disabled": {"enabled": False}, "automated": {"automated": True}}


GAIN = "gain="  # of a midi route, whose level is taken by port and channel
PAN = "pan="
CHANNELS = "ch="  # pairs of channels, from 1: source channel:destination channel
VALUES = (GAIN, PAN, CHANNELS)


def _is_flag(word: str) -> bool:
    return word in (*TAPS, *FLAGS) or word.startswith(VALUES)


def _flagged(word: str) -> dict[str, Any]:
    """The fields that a word after a destination sets."""
    if word in FLAGS:
        return FLAGS[word]
    what, equals, value = word.partition("=")
    if f"{what}{equals}" == GAIN:
        return {"gain_db": parse_db(value)}
    if f"{what}{equals}" == PAN:
        return {"pan": parse_pan(value)}
    return {"channels": _pairs(value)} if equals else {"tap": word}


def _pairs(text: str) -> tuple[tuple[int, int], ...]:
    pairs = []
    for pair in text.split(",") if text else ():
        start, colon, end = pair.partition(":")
        if not colon:
            raise ValueError(f"“{CHANNELS}{text}” is not pairs of channels like {CHANNELS}1:3,2:4")
        pairs.append((read_number(start, "a channel", 1, 1024), read_number(end, "a channel", 1, 1024)))
    return tuple(pairs)


@dataclass(frozen=True)
class ReadRoute:
    """The route of an entry: its destination as written, and its fields."""

    target: str
    insert: str | None
    fields: Mapping[str, Any]


@lru_cache(maxsize=1 << 13)  # rows have the same few destinations, and each is read several times
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
        The destination as written, not yet resolved.

    Raises
    ------
    ValueError
        With a sentence.
    """
    place = entry
    fields: dict[str, Any] = {}
    while " " in place and _is_flag(word := place.rsplit(" ", 1)[1].lower()):
        place = place.rsplit(" ", 1)[0].strip()
        fields |= _flagged(word)
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
    found = {"port": read_number(port, "a MIDI port", 1, MOST_PORTS)} if port else {}
    return found | ({"channel": read_number(channel, "a MIDI channel", 1, 16)} if channel else {})


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
    words += [f"{PAN}{number_text(route.pan)}"] if route.pan else []
    pairs = ",".join(f"{start}:{end}" for start, end in route.channels or ())
    words += [f"{CHANNELS}{pairs}"] if route.channels is not None else []
    words += (["disabled"] if not route.enabled else []) + (["automated"] if route.automated else [])
    return " ".join(words)
