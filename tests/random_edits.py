"""Random edits of a template: every edit of the registry, with arguments that are right, nearly right, or nothing like it."""

from __future__ import annotations

from collections.abc import Sequence
from random import Random
from typing import Any, get_args

import msgspec

from lattice.edits import EDITS
from lattice.edits.arguments import REQUIRED
from lattice.model import document as doc
from lattice.model.document import Template

WORDS = ["", "x", "Kick", "Kick 2", "=1+1", "a" * 499, "b" * 600, "Ü\u0301", "tab\there", "bell\x07", "half \ud800", "\u200frtl", "0", "-1", "r1", "s0"]  # fmt: skip
NUMBERS: list[Any] = [
    0,
    1,
    -1,
    2,
    17,
    64,
    1024,
    100_000,
    10**10,
    -6.5,
    0.5,
    199.0,
    201.0,
    1600.0,
    float("nan"),
    float("inf"),
    True,
]
PIECES = {
    "strip": doc.Strip, "outlet": doc.Outlet, "part": doc.Part, "insert": doc.Insert, "route": doc.Route, "stem": doc.Stem,
    "rule": doc.Rule, "machine": doc.Machine, "section": doc.Section,
}  # fmt: skip


# The first one is accepted as soon as there are two strips, so that the smallest example of hypothesis is small.
NAMES = sorted(EDITS, key=lambda name: name != "batch_routes")


class RandomEdits:
    """Edits of one template, drawn from one source of chance."""

    def __init__(self, template: Template, chance: Random) -> None:
        self.template, self.chance = template, chance
        self.ids = {name: [piece.id for piece in getattr(template, name)] for name in doc.LISTS}
        self.ids["inserts"] = [insert.id for strip in template.strips for insert in strip.inserts]
        self.ids["outlets"] = [outlet.id for strip in template.strips for outlet in strip.outlets]
        self.ids["parts"] = [part.id for strip in template.strips for part in strip.parts]

    def edit(self) -> tuple[str, dict[str, Any]]:
        """A name of the registry and arguments for it."""
        name = self.chance.choice(NAMES)
        arguments = {}
        for parameter in EDITS[name].arguments:
            if parameter.default is REQUIRED or self.chance.random() < 0.6:
                arguments[parameter.name] = self._argument(name, parameter.name)
        return name, arguments

    def _argument(self, edit: str, name: str) -> Any:  # noqa: PLR0911 - one return a kind of argument
        if self.chance.random() < 0.04:
            return self._anything()
        if name == "changes":
            return self._fields(self._type_changed_by(edit), whole=False)
        if name in PIECES and (edit.startswith("add_") or edit == "batch_routes"):
            return self._fields(PIECES[name], whole=True)
        if name == "waivers":
            return [self._fields(doc.Waiver, whole=True)]
        if name in ("strips", "routes", "inserts", "sections", "machines", "stems", "rules", "outlets", "parts"):
            return [self._id(name) for _ in range(self.chance.randint(0, 4))]
        if name in ("strip", "bus", "feed", "to", "before", "instrument"):
            return self._id("strips")
        if f"{name}s" in self.ids:
            return self._id(f"{name}s")
        if name in ("names", "kinds"):
            return [self._value(str) for _ in range(self.chance.randint(0, 5))]
        return self._anything()

    def _type_changed_by(self, edit: str) -> Any:
        word = edit.removeprefix("change_").removesuffix("s")
        return PIECES.get(word, Template if word == "template" else doc.Strip)

    def _id(self, name: str) -> Any:
        known = self.ids.get(name) or self.ids["strips"]
        return self.chance.choice(known) if known and self.chance.random() < 0.9 else self.chance.choice(WORDS)

    def _fields(self, kind: Any, *, whole: bool) -> dict[str, Any]:
        """Some fields of a piece; with `whole`, those it cannot do without among them."""
        fields = msgspec.structs.fields(kind)
        some = self.chance.sample(fields, self.chance.randint(0, min(4, len(fields))))
        wanted = {field.encode_name: field for field in some}
        wanted |= {f.encode_name: f for f in fields if whole and f.required and f.name != "id"}
        return {name: self._field(name, field.type) for name, field in wanted.items()}

    def _field(self, name: str, kind: Any) -> Any:
        if self.chance.random() < 0.06:
            return self._anything()
        if name in ("from", "to", "strip", "print", "bus"):
            return self._id("strips")
        if name in ("section", "parent", "machine", "outlet"):
            return self._id(f"{name}s" if name != "parent" else "sections")
        choices = [value for value in get_args(kind) if isinstance(value, str | int | float) or value is None]
        if choices and self.chance.random() < 0.95:
            return self.chance.choice(choices)
        return self._value(kind)

    def _value(self, kind: Any) -> Any:
        said = str(kind)
        if "bool" in said:
            return self.chance.random() < 0.5
        if "float" in said or "int" in said:
            return self.chance.choice(NUMBERS)
        if "tuple" in said:
            return [self.chance.choice([*WORDS[:5], 1, 2]) for _ in range(self.chance.randint(0, 3))]
        if "str" in said:
            return self.chance.choice([*WORDS, *self.ids["strips"]])
        return self._anything()

    def _anything(self) -> Any:
        values: Sequence[Any] = [None, [], {}, [[]], {"a": "b"}, True, "strip:s0", *WORDS, *NUMBERS]
        return self.chance.choice(values)
