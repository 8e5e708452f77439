"""Documents, sheets and inventories with something changed in their structure, drawn from one source of chance."""

from __future__ import annotations

import json
from io import BytesIO
from random import Random
from typing import Any
from zipfile import ZipFile

from tests.random_edits import NUMBERS, WORDS

VALUES: list[Any] = [None, True, [], {}, [[]], {"a": 1}, *WORDS, *NUMBERS]


def mutated(value: Any, chance: Random) -> Any:
    """Plain data with one to four places in it changed, left out, doubled or moved."""
    value = _copy(value)
    for _ in range(chance.randint(1, 4)):
        holders = list(_holders(value))
        if holders:
            _change(*chance.choice(holders), chance)
    return value


def _holders(value: Any) -> list[tuple[Any, Any]]:
    """(dict or list, key or index) of every place."""
    found = []
    waiting = [value]
    while waiting:
        at = waiting.pop()
        places = list(at.items()) if isinstance(at, dict) else list(enumerate(at)) if isinstance(at, list) else []
        for key, inner in places:
            found.append((at, key))
            waiting.append(inner)
    return found


def _change(holder: Any, key: Any, chance: Random) -> None:
    what = chance.random()
    if what < 0.5:
        holder[key] = _copy(chance.choice(VALUES))
    elif what < 0.7:
        del holder[key]
    elif isinstance(holder, list):
        holder.insert(chance.randint(0, len(holder)), _copy(holder[key]))
    elif what < 0.85:
        holder[str(chance.choice(WORDS))] = _copy(chance.choice(VALUES))
    else:
        holder[chance.choice(list(holder))] = _copy(holder[key])


def _copy(value: Any) -> Any:
    return json.loads(json.dumps(value))


def as_json(value: Any, chance: Random) -> bytes:
    """Its JSON, sometimes with bytes cut, flipped or put in."""
    data = bytearray(json.dumps(value, ensure_ascii=chance.random() < 0.5).encode("utf-8", "surrogatepass"))
    return scratched(bytes(data), chance) if chance.random() < 0.15 else bytes(data)


def scratched(data: bytes, chance: Random) -> bytes:
    """Bytes with a few of them changed, or the end cut off."""
    found = bytearray(data)
    for _ in range(chance.randint(1, 6)):
        if found:
            found[chance.randrange(len(found))] = chance.randrange(256)
    return bytes(found[: chance.randint(0, len(found))]) if chance.random() < 0.3 else bytes(found)


def mutated_sheet(sheet: str, chance: Random) -> bytes:
    """A sheet with cells changed, columns swapped, rows doubled."""
    lines = [line.split(",") for line in sheet.splitlines()]
    for _ in range(chance.randint(1, 8)):
        line = chance.choice(lines)
        what = chance.random()
        if what < 0.6 and line:
            line[chance.randrange(len(line))] = str(chance.choice(VALUES))
        elif what < 0.8:
            lines.insert(chance.randint(0, len(lines)), list(line))
        elif line:
            line.insert(chance.randint(0, len(line)), line[chance.randrange(len(line))])
    text = chance.choice(("\n", "\r\n", "\n\n")).join(chance.choice((",", ";", "\t")).join(line) for line in lines)
    data = text.encode("utf-8", "surrogatepass")
    return scratched(data, chance) if chance.random() < 0.15 else data


def mutated_workbook(book: bytes, chance: Random) -> bytes:
    """A workbook with bytes of its parts changed and packed again, or a part left out, or the file itself scratched."""
    if chance.random() < 0.2:
        return scratched(book, chance)
    made = BytesIO()
    with ZipFile(BytesIO(book)) as old, ZipFile(made, "w") as new:
        for name in old.namelist():
            if chance.random() < 0.05:
                continue
            part = old.read(name)
            new.writestr(name, scratched(part, chance) if chance.random() < 0.2 else part)
    return made.getvalue()
