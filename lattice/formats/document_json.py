"""The document's JSON form. `dump` writes one form only, and `load` of it gives the same template again."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from itertools import chain
from typing import Any, get_args

import msgspec
from msgspec import NODEFAULT, UNSET

from lattice.errors import DocumentError, Problem, first_problems
from lattice.formats.control_characters import control_problems, may_hold_controls
from lattice.gc_paused import gc_paused
from lattice.model import schema
from lattice.model.document import FORMAT, LISTS, MAX_ROUTES, MAX_STRIPS, Route, Strip, Template
from lattice.model.validate import problems, validate

# Room for MAX_STRIPS strips with their routes and inserts.
MAX_BYTES = 64 * 1024 * 1024
MAX_OBJECTS = 800_000  # counted before anything is made of them
MOST_EXPLAINED = 4 * 1024 * 1024  # bytes of a document of which every problem is looked for; of more, the first
MOST_BROKEN = 200  # entries that do not fit; beyond it nothing more is looked for in those that do
MOST_LOOKED_THROUGH = 20_000  # entries of a document with something wrong in which more is looked for
UTF8_BOM = b"\xef\xbb\xbf"
STAND_IN = "stand-in-for-what-does-not-fit"

_decoder = msgspec.json.Decoder(Template)


def load(data: bytes) -> Template:
    """The template of a document.

    Parameters
    ----------
    data
        JSON in UTF-8, with or without a byte order mark, up to 64 MiB.

    Returns
    -------
    Template
        Checked by its types and by `validate`. O(size).

    Raises
    ------
    DocumentError
        With the problems found, each with its place.
    """
    if len(data) > MAX_BYTES:
        size_mib = len(data) / 1024 / 1024
        raise DocumentError([f"the document has {size_mib:.0f} MiB; at most {MAX_BYTES // 1024 // 1024} are allowed"])
    if data.count(b"{") > MAX_OBJECTS:
        raise DocumentError([f"the document has {data.count(b'{')} objects; at most {MAX_OBJECTS} are allowed"])
    data = data.removeprefix(UTF8_BOM)
    try:
        with gc_paused():
            template = _decoder.decode(data)
            if may_hold_controls(data) and (controls := list(control_problems(msgspec.to_builtins(template)))):
                raise DocumentError(controls)
            return validate(template)
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as error:
        raise DocumentError(first_problems(_explain(data, error))) from None


def _explain(data: bytes, error: Exception) -> Iterator[str]:
    """All problems of a document that did not decode, as many as requested."""
    if not data.strip():
        yield "the document is empty"
    elif isinstance(error, RecursionError):
        yield "the document is nested too deeply"
    elif not isinstance(error, msgspec.ValidationError):
        yield _syntax(data, error)
    elif len(data) > MOST_EXPLAINED:
        yield f"{error} (the first problem found)"
    else:
        yield from _all_problems(data, error)


def _all_problems(data: bytes, error: Exception) -> Iterator[str]:
    import json  # noqa: PLC0415 - only what did not decode is read a second time

    try:
        plain = json.loads(data, parse_constant=lambda word: float("nan"))
    except RecursionError:
        yield "the document is nested too deeply"
        return
    except ValueError as wrong:
        yield str(wrong)
        return
    count = 0
    for said in chain(_form(plain), control_problems(plain)):
        count += 1
        yield said
    if not count:
        yield str(error)
    elif count <= MOST_BROKEN:
        yield from _beyond_types(plain)


def _form(plain: Any) -> Iterator[Problem]:
    if not isinstance(plain, dict):
        yield Problem.at("", "the document is not an object with the fields of a template")
        return
    if "format" not in plain and "name" not in plain:
        yield Problem.at("", "not a session template: format and name are missing")
        return
    if plain.get("format", FORMAT) != FORMAT:
        yield Problem.at("format", f"{schema.shown(plain['format'])} is not {FORMAT}")
        return
    for name, most in (("strips", MAX_STRIPS), ("routes", MAX_ROUTES)):
        entries = plain.get(name)
        if isinstance(entries, list) and len(entries) > most:
            yield Problem.at(name, f"{len(entries)} {name}; at most {most} are allowed")
            return
    yield from schema.problems(plain, Template)


def _beyond_types(plain: Any) -> list[str]:
    """Validation results for the well-typed parts, although others are not.

    Entries that do not fit their type are replaced without the wrong fields. Beyond the type errors they, and pieces
    that refer to them, give no messages.
    """
    if not isinstance(plain, dict):
        return []
    kinds = {field.name: field.type for field in msgspec.structs.fields(Template)}
    lists = {name: plain.get(name) for name in LISTS if isinstance(plain.get(name), list)}
    if sum(len(entries or ()) for entries in lists.values()) > MOST_LOOKED_THROUGH:
        return []
    stand_ins: set[str] = {STAND_IN}
    good: dict[str, Any] = {"name": STAND_IN}
    for name, entries in lists.items():
        kind = get_args(kinds[name])[0]
        good[name] = [_mended(entry, kind, stand_ins) for entry in entries or []]
    try:
        template = msgspec.convert(good, Template)
    except msgspec.ValidationError:
        return []
    return [
        said for said in problems(template) if not stand_ins & set(re.findall(r"[a-z0-9-]+", said.split(":", 1)[-1]))
    ]


def _mended(entry: Any, kind: type[msgspec.Struct], stand_ins: set[str]) -> dict[str, Any]:
    """The entry if it fits its type, else its valid fields under a name that messages leave out."""
    if not any(schema.problems(entry, kind)):
        return dict(entry)
    fields = {field.encode_name: field for field in msgspec.structs.fields(kind)}
    entry = entry if isinstance(entry, dict) else {}
    fit = {
        name: entry[name]
        for name in fields
        if name in entry and not any(schema.problems(entry[name], fields[name].type))
    }
    for name, field in fields.items():
        if field.required and name not in fit:
            fit[name] = {"kind": "feed" if kind is Route else "audio" if kind is Strip else "passes"}.get(
                name, STAND_IN
            )
    if fit["id"] == STAND_IN:
        fit["id"] = f"{STAND_IN}-{len(stand_ins)}"
    stand_ins.add(fit["id"])
    return fit


def _syntax(data: bytes, error: Exception) -> str:
    """Where the text stops being JSON, by line and column."""
    try:
        data.decode()
    except UnicodeDecodeError as wrong:
        return f"the document is not UTF-8 text: byte {wrong.start} is 0x{data[wrong.start]:02x}"
    message = str(error)
    if "surrogate" in message:
        return "the document contains half of a surrogate pair"
    place = re.search(r"\(byte (\d+)\)", message)
    if place is None:
        return "the JSON ends too early" if "truncated" in message else message
    before = data[: int(place[1])].decode(errors="replace")
    line, column = before.count("\n") + 1, len(before) - (before.rfind("\n") + 1) + 1
    return f"line {line} column {column}: {message[: place.start()].strip()}"


def dump(template: Template) -> bytes:
    """The canonical form of a template, UTF-8: fields in the order of the format, defaults left out, one entry a line.

    Equal templates give equal bytes, and differences of two files are lines (docs/decisions/0002).
    """
    plain = to_plain(template)
    plain = {"format": template.format, "version": template.version, **plain}
    lines = [f" {_json(key)}: {_entries(key, value)}" for key, value in plain.items()]
    return ("{\n" + ",\n".join(lines) + "\n}\n").encode()


def encode(template: Template) -> bytes:
    """A quick form for storage, JSON as well: `load` and `read_back` read it, people need not."""
    return msgspec.json.encode(template)


def read_back(data: bytes) -> Template:
    """A template from bytes that `encode` made of a validated one.

    Only types are checked, which takes a third of the time of `load`. Raises DocumentError.
    """
    try:
        with gc_paused():
            return _decoder.decode(data)
    except msgspec.DecodeError as error:
        raise DocumentError(first_problems(_explain(data, error))) from None


def _json(value: Any) -> str:
    return msgspec.json.encode(value).decode()


def _entries(key: str, value: Any) -> str:
    if key not in LISTS and key != "waivers":
        return _json(value)
    return "[\n" + ",\n".join(f"  {_json(entry)}" for entry in value) + "\n ]"


@lru_cache(maxsize=64)
def _fields(kind: type[msgspec.Struct]) -> tuple[tuple[str, str, Any], ...]:
    info = msgspec.structs.fields(kind)
    return tuple((field.name, field.encode_name, _default(field)) for field in info)


def _default(field: msgspec.structs.FieldInfo) -> Any:
    if field.default is not NODEFAULT:
        return field.default
    return NODEFAULT if field.default_factory is NODEFAULT else field.default_factory()


def to_plain(value: Any) -> Any:
    """A piece of the document as dicts, lists and plain values, without fields at their default."""
    if isinstance(value, msgspec.Struct):
        plain = {}
        for name, encoded, default in _fields(type(value)):
            inner = getattr(value, name)
            if inner is default or inner == default or inner is UNSET:
                continue
            plain[encoded] = to_plain(inner)
        return plain
    if isinstance(value, tuple):
        return [to_plain(item) for item in value]
    return value
