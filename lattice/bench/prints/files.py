"""Print files: which stem each is of, split or interleaved, and their samples, a stretch at a time."""

from __future__ import annotations

import re
import struct
from collections.abc import Iterable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from lattice.bench.prints.model import Printed
from lattice.bench.recordings import ENDINGS, READ
from lattice.errors import DocumentError
from lattice.graph.signal_graph import SignalGraph
from lattice.model.layouts import NAMED

STRETCH = 1 << 17
SPLIT = re.compile(r"^(.*?)[ ._-](L|R|C|LFE|Ls|Rs|Lrs|Rrs|M|\d{1,2})$", re.IGNORECASE)
ORDER = [name.lower() for name in NAMED["7.1"]]
CHUNKS = 64  # at most, before the samples


@dataclass
class PrintFiles:
    """The files of one stem: one that is interleaved, or one for each channel in channel order."""

    stem: str
    paths: list[Path] = field(default_factory=list)


@dataclass
class Matched:
    """The stem of each file, and the problems of files without one."""

    prints: dict[str, PrintFiles] = field(default_factory=dict)
    unmatched: dict[str, str] = field(default_factory=dict)  # name of a file → why


def plain_name(text: str) -> str:
    """A name without case, spaces and punctuation."""
    return "".join(letter for letter in text.casefold() if letter.isalnum())


def match(
    graph: SignalGraph, prints: Sequence[Printed], paths: Iterable[Path], assigned: dict[str, str] | None = None
) -> Matched:
    """Files by the stem they are of.

    Parameters
    ----------
    graph, prints
        The template and its prints.
    paths
        Files. One is of a stem by the name or id of the stem or of its print strip; `.L`, `_1` and the like behind it
        make it one channel.
    assigned
        Name of a file → id of its stem as the user chose it; "" for none.
    """
    known: dict[str, str] = {}
    for one in reversed(prints):
        strip = graph.strips[one.strip]
        known |= dict.fromkeys(map(plain_name, (strip.id, strip.name, one.stem.id, one.stem.name)), one.stem.id)
    found = Matched()
    split: dict[str, list[tuple[int, Path]]] = {}
    for path in sorted(paths, key=lambda one: one.name.casefold()):
        stem, channel = _stem_of(path, known, assigned or {})
        if stem is None:
            found.unmatched[path.name] = "its name matches no stem"
        elif channel is not None:
            split.setdefault(stem, []).append((channel, path))
        elif stem in found.prints:
            found.unmatched[path.name] = f"{found.prints[stem].paths[0].name} is a print of the same stem"
        else:
            found.prints[stem] = PrintFiles(stem, [path])
    for stem, parts in split.items():
        if stem in found.prints:
            whole = found.prints[stem].paths[0].name
            found.unmatched |= {path.name: f"{whole} is a print of the same stem" for _channel, path in parts}
        else:
            found.prints[stem] = PrintFiles(stem, [path for _channel, path in sorted(parts)])
    return found


def _stem_of(path: Path, known: dict[str, str], assigned: dict[str, str]) -> tuple[str | None, int | None]:
    """The stem of a file, and the channel of it where it is split."""
    parts = SPLIT.match(path.stem)
    channel = None
    if parts is not None:
        said = parts[2].lower()
        channel = int(said) if said.isdigit() else ORDER.index(said) if said in ORDER else 0
    if path.name in assigned:
        return assigned[path.name] or None, channel if parts and plain_name(path.stem) not in known else None
    stem = known.get(plain_name(path.stem))
    if stem is not None:
        return stem, None
    return (known.get(plain_name(parts[1])), channel) if parts else (None, None)


class OpenPrint:
    """A print that is read: its channels, however many files they are in.

    Raises
    ------
    DocumentError
        Where a file cannot be read, is cut off, or has another rate or another number of channels.
    """

    def __init__(self, files: PrintFiles, rate_hz: int, channels: int) -> None:
        self._stack = ExitStack()
        self._files: list[soundfile.SoundFile] = []
        try:
            for path in files.paths:
                self._files.append(self._stack.enter_context(_open(path, rate_hz)))
            there = sum(file.channels for file in self._files)
            if there != channels:
                raise DocumentError([f"{_names(files.paths)}: {there} channels; the print has {channels}"])
            self.frames = max(file.frames for file in self._files)
        except BaseException:
            self._stack.close()
            raise

    def __enter__(self) -> OpenPrint:
        return self

    def __exit__(self, *_error: object) -> None:
        self._stack.close()

    def stretches(self) -> Iterator[NDArray[np.float32]]:
        """(channels, samples) in order; split files that end early are silent from there on."""
        rooms = [np.empty((STRETCH, file.channels), dtype=np.float32) for file in self._files]
        while True:
            parts = [file.read(out=room) for file, room in zip(self._files, rooms, strict=True)]
            count = max(len(part) for part in parts)
            if not count:
                return
            whole = np.zeros((sum(part.shape[1] for part in parts), count), dtype=np.float32)
            at = 0
            for part in parts:
                whole[at : at + part.shape[1], : len(part)] = part.T
                at += part.shape[1]
            if not np.isfinite(whole).all():
                raise DocumentError(["has samples without a finite value"])
            yield whole


def _names(paths: Sequence[Path]) -> str:
    return ", ".join(path.name for path in paths)


def _open(path: Path, rate_hz: int) -> soundfile.SoundFile:
    try:
        file = soundfile.SoundFile(path)
    except soundfile.LibsndfileError:
        raise DocumentError([f"{path.name} cannot be read as WAV, RF64 or FLAC"]) from None
    except OSError as wrong:
        raise DocumentError([f"{path.name}: {wrong.strerror or wrong}"]) from None
    problem = ""
    if file.format not in READ:
        problem = f"{path.name} is {file.format_info}; use WAV, RF64 or FLAC"
    elif not file.frames:
        problem = f"{path.name} has no samples"
    elif file.samplerate != rate_hz:
        problem = f"{path.name} has {file.samplerate} Hz; the kit has {rate_hz}"
    elif is_cut_off(path):
        problem = f"{path.name} is cut off: its header states a greater length"
    if problem:
        file.close()
        raise DocumentError([problem])
    return file


def is_cut_off(path: Path) -> bool:
    """Return whether a WAV or RF64 file ends before the samples that its head announces (EBU Tech 3306, clause 4)."""
    size = path.stat().st_size
    with path.open("rb") as file:
        form = file.read(12)
        if form[:4] not in (b"RIFF", b"RF64") or form[8:12] != b"WAVE":
            return False
        long_data = 0
        for _number in range(CHUNKS):
            head = file.read(8)
            if len(head) < 8:
                return True
            name, length = head[:4], struct.unpack("<I", head[4:])[0]
            if name == b"ds64":
                body = file.read(length)
                long_data = struct.unpack("<Q", body[8:16])[0] if len(body) >= 16 else 0
                continue
            if name == b"data":
                announced = long_data if length == 0xFFFFFFFF else length
                return file.tell() + announced > size
            file.seek(length + length % 2, 1)
    return False


def is_recording(path: Path) -> bool:
    """Return whether a file has the ending of one that is read."""
    return path.suffix.lower() in ENDINGS
