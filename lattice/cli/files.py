"""Input and output of commands: templates and other files, standard input and output."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from lattice.errors import DocumentError
from lattice.formats.registry import read as read_template
from lattice.model.document import Template

# Exit statuses of common tools: 1 for findings, 2 for errors.
COULD_NOT = 2


def read(name: str) -> Template:
    """The template in a file by its name, or on standard input (`-`; its first character shows the format)."""
    return read_template(read_bytes(name), name)


def read_bytes(name: str) -> bytes:
    """The contents of a file, or of standard input (`-`). Raises DocumentError if it cannot be read."""
    if name == "-":
        return sys.stdin.buffer.read()
    path = Path(name)
    try:
        return path.read_bytes()
    except OSError as error:
        raise DocumentError([error.strerror or str(error)]) from None


def write_json(value: Any) -> None:
    """A value as JSON on standard output."""
    import msgspec

    sys.stdout.buffer.write(msgspec.json.format(msgspec.json.encode(value), indent=2) + b"\n")
    sys.stdout.flush()


def put(name: str, data: bytes) -> None:
    """Into a file, or to standard output (`-`)."""
    if name != "-":
        Path(name).write_bytes(data)
        return
    sys.stdout.buffer.write(data)
    sys.stdout.flush()


@contextmanager
def in_whole(folder: Path) -> Iterator[Path]:
    """A folder beside the one that is wanted; its files go there when all of them are written, else nowhere."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(prefix=".part-", dir=folder.parent) as made:
        yield Path(made)
        folder.mkdir(exist_ok=True)
        for path in Path(made).iterdir():
            path.replace(folder / path.name)
