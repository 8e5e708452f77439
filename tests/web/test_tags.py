"""Tags that write forms: their fields post the values an edit parses, and have accessible names."""

from __future__ import annotations

import re
from html import unescape
from typing import Any

import pytest
from django.template import Context, Engine

from lattice.model.document import Insert, Strip, Template
from web.editor.templatetags.edits import as_options
from web.shared.records import as_data, records
from web.shelf.models import StoredTemplate


def rendered(source: str, stored: StoredTemplate, **context: Any) -> str:
    engine = Engine.get_default()
    return " ".join(engine.from_string(source).render(Context({"stored": stored, **context})).split())


def attributes(html: str, tag: str) -> dict[str, str]:
    found = re.search(rf"<{tag}\b([^>]*)>", html)
    assert found, html
    return {name: unescape(value) for name, value in re.findall(r'([\w-]+)="([^"]*)"', found[1])}


def test_a_field_posts_to_its_edit_and_is_named(stored: StoredTemplate) -> None:
    html = rendered(
        '{% field "change_strip" "fader_db" value id="f-" at="kick" look="tight" said="Fader of" of="Kick" hint="0" %}',
        stored,
        value="−6.0",
    )
    found = attributes(html, "input")
    assert found["data-write"] == f"/t/{stored.pk}/write/change_strip/"
    assert (found["name"], found["value"], found["id"]) == ("fader_db", "−6.0", "f-kick")
    assert found["aria-label"] == "Fader of Kick"
    assert "tight" in found["class"]
    assert found["placeholder"] == "0"


@pytest.mark.parametrize("value", [None, ""])
def test_an_empty_field_is_empty(stored: StoredTemplate, value: Any) -> None:
    html = rendered('{% field "change_strip" "note" value id="n" label="note" %}', stored, value=value)
    assert attributes(html, "input").get("value", "") == ""
    assert '<label for="n"' in html


def test_a_name_of_signs_stays_what_it_is(stored: StoredTemplate) -> None:
    name = '"><script>x</script>&'
    html = rendered('{% field "change_strip" "name" value id="n" said="Name" %}', stored, value=name)
    assert "<script>" not in html
    assert attributes(html.replace("&gt;", "\u0001"), "input")["value"].replace("\u0001", ">") == name


def test_a_choice_marks_what_is_chosen(stored: StoredTemplate) -> None:
    html = rendered(
        '{% choice "change_strip" "monitor" options chosen id="m" said="Monitoring" %}',
        stored,
        options=("never", "always"),
        chosen="always",
    )
    assert attributes(html, "select")["data-write"].endswith("/write/change_strip/")
    assert [bool(re.search("selected", option)) for option in re.findall(r"<option[^>]*>", html)] == [False, True]


@pytest.mark.parametrize(
    ("known", "chosen", "expected"),
    [
        (("a", "b"), "b", [("a", "a", False), ("b", "b", True)]),
        ((("x", "Ex"), ("y", "Why")), "x", [("x", "Ex", True), ("y", "Why", False)]),
        ((1, 2), 2, [("1", "1", False), ("2", "2", True)]),
        ((), None, []),
    ],
)
def test_options_come_from_words_or_pairs(known: Any, chosen: Any, expected: Any) -> None:
    found = re.findall(r'<option value="([^"]*)"( selected)?>([^<]*)</option>', as_options(known, chosen))
    assert [(value, words, bool(is_chosen)) for value, is_chosen, words in found] == expected


def test_options_are_escaped() -> None:
    assert as_options([('"x', "<b>")], None) == '<option value="&quot;x">&lt;b&gt;</option>'


def test_a_button_says_what_it_posts_and_readers_hear_of_what(stored: StoredTemplate) -> None:
    html = rendered('{% write_button "×" "remove_parts" parts="p1" said="Remove part" of="Snare" %}', stored)
    found = attributes(html, "button")
    assert found["data-write"] == f"/t/{stored.pk}/write/remove_parts/"
    assert found["data-values"] == '{"parts": "p1"}'
    assert found["aria-label"] == "Remove part Snare"
    assert found["type"] == "button"


@pytest.mark.parametrize(
    ("kind", "shown"),
    [
        ("compressor", {"threshold_db", "ratio"}),
        ("delay", {"delay_ms", "feedback"}),
        ("eq", set()),
        ("external", {"io_out", "io_in"}),
    ],
)
def test_an_insert_shows_the_fields_of_its_type(stored: StoredTemplate, kind: str, shown: set[str]) -> None:
    html = rendered(
        "{% own_fields insert strip as fields %}{% for field in fields %}{{ field.name }} {% endfor %}",
        stored,
        template=Template(name="T"),
        insert=Insert(id="i", type=kind),
        strip=Strip(id="s", name="S", kind="bus"),
    )
    assert set(html.split()) == shown | {"gain_db", "latency_samples", "wet"}


@pytest.mark.parametrize("text", ["<b>", "&amp;", "</div><script>", "“quoted”", "it's", '"', "\u2028", "\\"])
def test_records_come_back_as_they_were(text: str) -> None:
    import json

    sent = as_data({"strips": records("id name", [("kick", text), ("x", None)])})
    assert "<" not in sent
    assert json.loads(unescape(sent)) == {"strips": {"columns": ["id", "name"], "rows": [["kick", text], ["x", None]]}}
