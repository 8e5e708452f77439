"""Readers of other people's files in a process of their own, with limits of memory and time.

A hostile file can use all memory, run forever or crash its library. In its own process it costs the server one error
message. The function is named `module:function`. It receives the bytes of the file (or its path) and returns a value
that msgspec can encode.
"""

from __future__ import annotations

import importlib
import subprocess
import sys
from dataclasses import dataclass
from threading import BoundedSemaphore
from typing import Any, TypeVar

import msgspec

from lattice.errors import DocumentError

T = TypeVar("T")
MIB = 1024 * 1024
MOST_ANSWER = 256 * MIB
AT_ONCE = BoundedSemaphore(2)  # as many as there are cores on a small machine; others wait their turn
OURS = ("lattice.", "tests.")  # the command line of this process names a function; it is one of these
DONE, REFUSED = b"+", b"-"  # how an answer begins


@dataclass(frozen=True)
class Limits:
    """Most memory and time for one file."""

    memory_mib: int = 1024
    seconds: int = 20


def read_apart(target: str, data: bytes, kind: type[T], what: str, limits: Limits | None = None) -> T:
    """Call a function with a file, in a process of its own.

    Parameters
    ----------
    target
        `module:function` of this package; it takes bytes.
    data
        The file.
    kind
        Type of its result.
    what
        The file in words, like “the workbook”, for the sentence where a limit ends it.
    limits
        Memory and time.

    Raises
    ------
    DocumentError
        Those of the function; and where it takes more than it may, or ends without an answer.
    """
    limits = limits or Limits()
    words = [sys.executable, "-m", "lattice.apart", target, str(limits.memory_mib), str(limits.seconds)]
    most = f"{limits.memory_mib} MiB of memory or {limits.seconds} s"
    ended = f"{what} cannot be read: it needs more than {most}, or it is damaged"
    with AT_ONCE:
        try:
            # Own interpreter, own module, bytes on standard input: nothing of the file is part of the command.
            done = subprocess.run(words, input=data, capture_output=True, timeout=limits.seconds + 5, check=False)  # noqa: S603
        except subprocess.TimeoutExpired:
            # The processor's time ends it on a quiet machine, the clock on a busy one: one sentence for both.
            raise DocumentError([ended]) from None
    answer = done.stdout
    if answer[:1] == REFUSED:
        raise DocumentError(msgspec.msgpack.decode(answer[1:], type=list[str]))
    if done.returncode or answer[:1] != DONE:
        raise DocumentError([ended])
    return msgspec.msgpack.decode(answer[1:], type=kind)


def _limit(memory_mib: int, seconds: int) -> None:
    """Of this process. Windows knows no such limits: there only the parent's clock ends it."""
    try:
        import resource  # noqa: PLC0415
    except ImportError:
        return
    memory = memory_mib * MIB
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _answer(target: str, data: bytes) -> bytes:
    module, _colon, name = target.partition(":")
    if not module.startswith(OURS):
        raise ValueError(f"{target} is not allowed here")
    function: Any = getattr(importlib.import_module(module), name)
    try:
        made = msgspec.msgpack.encode(function(data))
    except DocumentError as wrong:
        return REFUSED + msgspec.msgpack.encode(list(map(str, wrong.problems)))
    except MemoryError:
        return REFUSED + msgspec.msgpack.encode(["it needs more memory than allowed for one file"])
    if len(made) > MOST_ANSWER:
        return REFUSED + msgspec.msgpack.encode([f"it contains more than {MOST_ANSWER // MIB} MiB"])
    return DONE + made


def main() -> int:
    """The process: limits first, then the file."""
    target, memory_mib, seconds = sys.argv[1:4]
    _limit(int(memory_mib), int(seconds))
    sys.stdout.buffer.write(_answer(target, sys.stdin.buffer.read()))
    return 0


if __name__ == "__main__":
    sys.exit(main())
