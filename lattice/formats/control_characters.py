"""Control characters in the texts of a document: refused, as neither XML nor a sheet can hold them.

Notes and reasons are written over several lines; line breaks and tabs are allowed there and nowhere else.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from lattice.errors import Problem

# In JSON U+0000 to U+001F are escaped; DEL, U+0080 to U+009F, U+FFFE and U+FFFF may be plain.
ESCAPED = re.compile(rb'\\[^"\\/]')
PLAIN = re.compile(rb"\xc2[\x80-\x9f]|\xef\xbf[\xbe\xbf]")
CONTROL = re.compile("[\x00-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
OVER_LINES = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
OF_SEVERAL_LINES = frozenset({"note", "reason"})


def may_hold_controls(data: bytes) -> bool:
    """Return whether JSON text may hold any: false for most documents.

    Single bytes are looked for first, which costs a tenth of a search by pattern.
    """
    if b"\\" in data and ESCAPED.search(data):
        return True
    return b"\x7f" in data or ((b"\xc2" in data or b"\xef\xbf" in data) and PLAIN.search(data) is not None)


def control_problems(value: Any, place: str = "", key: str = "") -> Iterator[Problem]:
    """Every text of plain data (dicts, lists, values) with a control character in it, with its place. O(size)."""
    if isinstance(value, str):
        pattern = OVER_LINES if key in OF_SEVERAL_LINES else CONTROL
        if found := pattern.search(value):
            yield Problem.at(place, f"contains a control character, U+{ord(found[0]):04X}")
    elif isinstance(value, dict):
        for name, inner in value.items():
            if found := CONTROL.search(name):
                yield Problem.at(place, f"a field name contains a control character, U+{ord(found[0]):04X}")
            else:
                yield from control_problems(inner, f"{place}.{name}" if place else name, name)
    elif isinstance(value, list | tuple):
        for index, inner in enumerate(value):
            yield from control_problems(inner, f"{place}[{index}]", key)
