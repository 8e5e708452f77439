"""Fields, choices and buttons that make an edit: one tag each, so that a form is written a line a field.

Their values are parsed by the edit's own arguments (`lattice.edits`); `data-values` of parent elements are added.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from functools import lru_cache
from html import escape
from typing import Any

from django import template
from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

from lattice.edits import EDITS
from lattice.edits.arguments import REQUIRED
from lattice.model.document import Insert, Machine, Source, Strip
from lattice.model.starting_values import starting_value
from web.editor.ranking import MOST
from web.shared.templatetags.figures import db

register = template.Library()
SELECTED = mark_safe(" selected")
Context = dict[str, Any]


@lru_cache(maxsize=4096)
def _address(kind: str, pk: int, edit: str) -> str:
    return reverse(kind, args=[pk, edit])


def _named(of: dict[str, Any]) -> Context:
    """Attributes of a field: `at` ends its `id`; its accessible name is `said` with `of`, or with `at`."""
    at = of.pop("at", "")
    said, whom = of.pop("said", ""), of.pop("of", at)
    return {**of, "id": f"{of.get('id', '')}{at}", "said": f"{said} {whom}".strip() if said else ""}


@register.inclusion_tag("editor/parts/field.html", takes_context=True)
def field(context: Context, edit: str, name: str, value: Any, **look: Any) -> Context:
    """A text field that makes an edit when it is left.

    `id` and `at` name it; `label` is before it, or its accessible name is `said` and `of`. `look` are classes, `list` a
    datalist, `hint` the placeholder, `suggest` the value that Tab enters, `most` the maximum length.
    """
    shown = "" if value is None else value
    return {"address": _address("write", context["stored"].pk, edit), "name": name, "value": shown, **_named(look)}


@register.inclusion_tag("editor/parts/field.html", takes_context=True)
def figure(context: Context, edit: str, name: str, value: Any, **look: Any) -> Context:
    """A field for a figure, in a row of others."""
    return field(context, edit, name, value, **{"look": "tight figure", **look})


@register.inclusion_tag("editor/parts/choice.html", takes_context=True)
def choice(context: Context, edit: str, name: str, options: Iterable[Any], chosen: Any, **look: Any) -> Context:
    """A choice that makes an edit; `none` the words for no choice; `id`, `label`, `said` and `look` as for a field."""
    address = _address("write", context["stored"].pk, edit)
    return {"address": address, "name": name, "options": as_options(options, chosen), **_named(look)}


@register.inclusion_tag("editor/parts/options.html")
def options(known: Iterable[Any], chosen: Any = None, *, none: str | None = None) -> Context:
    """The options of a choice; `none` the words of the empty one."""
    return {"options": as_options(known, chosen), "none": none}


@register.inclusion_tag("editor/parts/button.html", takes_context=True)
def write_button(context: Context, words: str, edit: str, look: str = "plain small", **values: Any) -> Context:
    """A button that makes an edit with `values`; `said` is its accessible name (with `of`), `id` its own."""
    own = _named({name: values.pop(name) for name in ("said", "of", "id") if name in values})
    address = _address("write", context["stored"].pk, edit)
    return {"address": address, "words": words, "look": look, "values": json.dumps(values) if values else "", **own}


@register.inclusion_tag("editor/parts/argument.html", takes_context=True)
def argument(
    context: Context, edit: str, name: str, known: Iterable[Any] | None = None, *, source: str = "", **look: Any
) -> Context:
    """The field of a form for one argument of an edit: its type, range and usual value are the edit's own.

    `known` are the pieces to choose from; `label` is before the field, or its accessible name is `said`. `value` is its
    initial value, `none` and `none_last` the words of no choice. Of more than a list shows, the field completes what is
    typed, from the list of the selection that `source` names.
    """
    if source and known is not None and len(list(known)) > MOST:
        address = reverse("choices", args=[context["stored"].pk, source])
        return {"kind": "completed", "name": name, "address": address, "strips": context["chosen"].ids, **look}
    wanted = next(one for one in EDITS[edit].arguments if one.name == name)
    kind = type(wanted).__name__.lower()
    options = as_options(known if known is not None else getattr(wanted, "options", ()), look.pop("chosen", None))
    if kind == "flag":
        look.setdefault("label", wanted.label)
    value = look.pop("value", "" if wanted.default in (REQUIRED, None) else wanted.default)
    return {"kind": kind, "name": name, "options": options, "value": value, **look}


@register.simple_tag(takes_context=True)
def preview(context: Context, edit: str) -> str:
    """The address of the preview of an edit."""
    return _address("preview", context["stored"].pk, edit)


def as_options(known: Iterable[Any], chosen: Any) -> SafeString:
    """Options from words, pairs, or pieces with an id and a name; written here, as a page may have thousands."""
    pairs = [pair_of(one) for one in known]
    text = _options(tuple((str(value), str(words)) for value, words in pairs))
    for taken in {str(value) for value, _words in pairs if value == chosen}:
        option = f'<option value="{escape(taken)}"'
        text = text.replace(f"{option}>", f"{option}{SELECTED}>")
    return mark_safe(text)  # noqa: S308 - both parts are escaped, by the same function as templates do


@lru_cache(maxsize=32)
def _options(pairs: tuple[tuple[str, str], ...]) -> str:
    """Options without a selection: the same strips are in many fields of a page."""
    return "".join(f'<option value="{escape(value)}">{escape(words)}</option>' for value, words in pairs)


def pair_of(one: Any) -> tuple[Any, Any]:
    """Value and words of an entry: a pair, a piece with an id and a name, or a word."""
    if isinstance(one, tuple | list):
        return one[0], one[1]
    return (one.id, one.name) if hasattr(one, "id") else (one, one)


# Fields of an insert in strip details: name, label, first part of its id, hint. Those of its type are between.
ALWAYS = (("latency_samples", "latency", "l", ""), ("gain_db", "gain", "g", ""), ("wet", "wet", "w", ""))
OF_TYPE = {
    "threshold_db": ("threshold_db", "threshold", "t", "–"),
    "ratio": ("ratio", "ratio", "r", "–"),
    "ceiling_db": ("ceiling_db", "ceiling", "c", "–"),
    "delay_ms": ("delay_ms", "delay", "d", "ms"),
    "feedback": ("feedback", "feedback", "fb", ""),
    "io_out": ("io_out", "outputs", "io", "5-6"),
    "io_in": ("io_in", "inputs", "ii", "7-8"),
}
MORE = (
    ("measured_latency_samples", "measured", "me", "–"),
    ("layout_in", "input", "li", "as received"),
    ("layout_out", "output", "lo", "as its input"),
    ("attack_ms", "attack", "at", "ms"),
    ("release_ms", "release", "rl", "ms"),
    ("low_cut_hz", "low cut", "lc", "Hz"),
    ("high_cut_hz", "high cut", "hc", "Hz"),
    ("pre_delay_ms", "pre-delay", "pd", "ms"),
    ("memory_mb", "memory", "mm", "MB"),
    ("maker", "maker", "mk", ""),
    ("version", "version", "ve", ""),
)


@register.simple_tag(takes_context=True)
def own_fields(context: Context, insert: Insert, strip: Strip) -> list[dict[str, str]]:
    """The fields of an insert of its type; empty ones suggest common starting values."""
    rows = (*ALWAYS, *(OF_TYPE[name] for name in insert.traits.fields))
    return [_suggesting(context, strip, insert, _row(insert, *row)) for row in rows]


@register.simple_tag(takes_context=True)
def short_fields(context: Context, insert: Insert, strip: Strip) -> list[dict[str, str]]:
    """The common fields of an insert in the side panel, with ids of their own."""
    rows = (*ALWAYS, *(OF_TYPE[name] for name in insert.traits.fields if name in ("threshold_db", "ratio")))
    made = (_row(insert, name, label, f"i{mark}", "") for name, label, mark, _hint in rows)
    return [_suggesting(context, strip, insert, row) for row in made]


@register.simple_tag(takes_context=True)
def more_fields(context: Context, insert: Insert, strip: Strip) -> list[dict[str, str]]:
    """The fields of any insert that are rarely used."""
    return [_suggesting(context, strip, insert, _row(insert, *row)) for row in MORE]


def _suggesting(context: Context, strip: Strip, insert: Insert, row: dict[str, str]) -> dict[str, str]:
    """An empty field with the common starting value as placeholder: Tab enters it."""
    suggested = "" if row["value"] else starting_value(strip, insert, row["name"], context["template"].tempo_bpm)
    return row | ({"suggest": suggested, "hint": suggested} if suggested else {})


def _row(insert: Insert, name: str, label: str, mark: str, hint: str) -> dict[str, str]:
    look = "tight" if name == "maker" else "tight figure short" if name == "ratio" else "tight figure"
    row = {"name": name, "label": label, "id": f"{mark}-{insert.id}", "hint": hint, "look": look}
    return row | {"value": typed(insert, name), "list": "layouts" if name.startswith("layout") else ""}


# Figures of a machine: name, label, first part of its id, classes.
OF_MACHINE = (
    ("inputs", "inputs", "mi", "figure short"),
    ("outputs", "outputs", "mo", "figure short"),
    ("midi_ports", "MIDI ports", "mp", "figure short"),
    ("input_latency_samples", "input latency", "ml", "figure"),
    ("output_latency_samples", "output latency", "mol", "figure"),
    ("tie_latency_samples", "tie latency", "mt", "figure"),
    ("memory_mb", "memory, MB", "mmb", "figure"),
)


@register.filter
def machine_fields(machine: Machine) -> list[dict[str, str]]:
    """The fields of a machine."""
    return [
        {"name": name, "label": label, "id": f"{mark}-{machine.id}", "look": look, "value": typed(machine, name)}
        for name, label, mark, look in OF_MACHINE
    ]


@register.filter
def level_of(source: Source | None, name: str) -> str:
    """A level of a source; off where it plays nothing."""
    return db(getattr(source, name)) if source else "off"


@register.filter
def typed(piece: Any, name: str) -> str:
    """A field's value as people type it; nothing for none."""
    value = getattr(piece, name)
    if value is None:
        return ""
    if name in ("wet", "feedback"):
        return f"{round(value * 100)} %"
    if name == "channels":
        return " ".join(f"{start}:{end}" for start, end in value)
    if isinstance(value, tuple):
        return ", ".join(map(str, value))
    return db(value) if name.endswith("_db") else str(value)
