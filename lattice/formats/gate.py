"""The one gate of all that is made in memory: it is a good document, to the letter that is stored."""

from __future__ import annotations

from typing import Any, get_args

import msgspec

from lattice.errors import DocumentError
from lattice.formats.control_characters import control_problems, may_hold_controls
from lattice.model import schema
from lattice.model.document import LISTS, Template
from lattice.model.quiet import is_quiet
from lattice.model.validate import validate

TYPES: dict[str, Any] = {field.name: field.type for field in msgspec.structs.fields(Template)}


def validated(before: Template, after: Template) -> Template:
    """A valid template: everything created in memory passes here before it is stored.

    Pieces are built past the checks that reading a document makes. So everything that is not the same as before is
    written as JSON and read back, and the whole is validated.

    Parameters
    ----------
    before
        A template that is known to be good.
    after
        The changed template.

    Returns
    -------
    Template
        `after` itself. O(size of the change) beside the validation.

    Raises
    ------
    DocumentError
        With every reason why it may not be stored.
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
    # After an edit of levels and texts, ids, references and connections are unchanged.
    return after if is_quiet(before, after) else validate(after)


def piece_problems(value: Any, kind: Any, place: str = "") -> list[str]:
    """The problems of one piece; none if it survives a round trip through JSON.

    Parameters
    ----------
    value
        A piece, like a strip, or a field of the template.
    kind
        The type it must have.
    place
        Its place, for the messages.
    """
    try:
        data = msgspec.json.encode(value)
        back = msgspec.json.decode(data, type=kind)
    except (msgspec.ValidationError, UnicodeEncodeError):
        plain = msgspec.to_builtins(value)
        return [*schema.problems(plain, kind, place), *control_problems(plain, place)] or [f"{place}: does not fit"]
    problems: list[str] = []
    if may_hold_controls(data):
        problems += control_problems(msgspec.to_builtins(value), place)
    if problems:
        return problems
    return [] if back == value else [f"{place}: changes when it is written and read back"]
