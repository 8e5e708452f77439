"""A short notation for templates in tests."""

from __future__ import annotations

from typing import Any

import msgspec

from lattice.model.document import Template
from lattice.model.validate import validate

KINDS = {
    "a": "audio", "i": "instrument", "n": "input", "m": "midi", "b": "bus", "r": "return", "x": "master",
    "p": "print", "o": "output",
}  # fmt: skip


def strip(spec: str | dict[str, Any]) -> dict[str, Any]:
    """`b:drums` is a bus; `a:kick mute` is a muted audio strip; a dict is used as it is."""
    if isinstance(spec, dict):
        return {"name": spec["id"], **spec}
    head, *words = spec.split()
    letter, _, name = head.partition(":")
    fields: dict[str, Any] = {"id": name, "name": name, "kind": KINDS[letter]}
    for word in words:
        fields |= {
            "mute": {"mute": True}, "out": {"in_service": False}, "off": {"fader_db": None}, "silent": {"source": None},
            "always": {"monitor": "always"},
        }.get(word) or {"tags": [*fields.get("tags", []), word]}  # fmt: skip
    return fields


def route(number: int, spec: str | dict[str, Any]) -> dict[str, Any]:
    """`kick>drums` is a feed; `send kick>hall pre-fader off`; dicts are taken as they are."""
    if isinstance(spec, dict):
        return {"id": f"r{number}", "kind": "feed", **spec}
    words = spec.split()
    kind = words.pop(0) if ">" not in words[0] else "feed"
    start, _, end = words.pop(0).partition(">")
    start, _, outlet = start.partition("/")
    end, _, insert = end.partition("/")
    fields: dict[str, Any] = {"id": f"r{number}", "kind": kind, "from": start, "to": end}
    if outlet:
        fields["from_outlet"] = outlet
    if insert:
        fields["to_insert"] = insert
    for word in words:
        fields |= {"disabled": {"enabled": False}, "off": {"gain_db": None}, "automated": {"automated": True}}.get(
            word
        ) or ({"tap": word} if word.startswith(("pre", "post")) else {"gain_db": float(word)})
    return fields


def plain(strips: list[Any], routes: list[Any] = (), **fields: Any) -> dict[str, Any]:  # type: ignore[assignment]
    return {
        "format": "intact-lattice.template", "version": 1, "name": "Test",
        "strips": [strip(spec) for spec in strips],
        "routes": [route(number, spec) for number, spec in enumerate(routes, start=1)], **fields,
    }  # fmt: skip


def template(strips: list[Any], routes: list[Any] = (), **fields: Any) -> Template:  # type: ignore[assignment]
    return validate(msgspec.convert(plain(strips, routes, **fields), Template))
