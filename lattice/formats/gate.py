"""The one gate of all that is made in memory: it is a good document, to the letter that is stored."""

from __future__ import annotations

from typing import Any, get_args

import msgspec

from lattice.errors import DocumentError
from lattice.formats.control_characters import control_problems, may_hold_controls
from lattice.model import schema
from lattice.model.document import LISTS, Template
from lattice.model.validate import validate

TYPES: dict[str, Any] = {field.name: field.type for field in msgspec.structs.fields(Template)}


def passed(before: Template, after: Template) -> Template:
    """`after`, where it may be stored. Raises DocumentError with every reason why not.

    Pieces are built in memory, past the checks that reading a document makes; so everything that is not the same as
    before is written as JSON and read back. O(size of what changed) beside the validation of the whole.
    """
    problems: list[str] = []
    for name in Template.__struct_fields__:
        old, new = getattr(before, name), getattr(after, name)
        if old is new:
            continue
        if name in LISTS or name == "waivers":
            kind, known = get_args(TYPES[name])[0], set(map(id, old))
            for index, piece in enumerate(new):
                if id(piece) not in known:
                    problems += piece_problems(piece, kind, f"{name}[{index}]")
        else:
            problems += piece_problems(new, TYPES[name], name)
    if problems:
        raise DocumentError(problems)
    return validate(after)


def piece_problems(value: Any, kind: Any, place: str = "") -> list[str]:
    """What is wrong with one piece; as it comes back from JSON it is the same."""
    try:
        data = msgspec.json.encode(value)
        back = msgspec.json.decode(data, type=kind)
    except (msgspec.ValidationError, UnicodeEncodeError):
        plain = msgspec.to_builtins(value)
        return [*schema.problems(plain, kind, place), *control_problems(plain, place)] or [f"{place}: does not fit"]
    found: list[str] = []
    if may_hold_controls(data):
        found += control_problems(msgspec.to_builtins(value), place)
    if found:
        return found
    return [] if back == value else [f"{place}: is not read back as it was written"]
