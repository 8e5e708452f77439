"""The JSON form: one canonical writing, and reading it gives the same template."""

from __future__ import annotations

import json

import msgspec
from hypothesis import given

from lattice.formats.document_json import dump, encode, load
from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.strategies import templates


@given(templates())
@tries(150)
def test_dump_of_load_is_the_identity_on_canonical_documents(made: Template) -> None:
    canonical = dump(made)
    assert load(canonical) == made
    assert dump(load(canonical)) == canonical


def test_the_full_form_and_the_canonical_form_are_one_template() -> None:
    made = generate(60)
    assert load(encode(made)) == made
    assert dump(load(encode(made))) == dump(made)


def test_every_field_survives() -> None:
    full = msgspec.to_builtins(generate(40))
    assert load(json.dumps(full).encode()) == generate(40)


def test_defaults_are_left_out_and_each_entry_has_a_line() -> None:
    text = dump(template(["a:kick", "b:drums"], ["kick>drums"])).decode()
    assert '  {"id":"kick","name":"kick","kind":"audio"},\n' in text
    assert '  {"id":"r1","kind":"feed","from":"kick","to":"drums"}\n' in text
    assert "fader_db" not in text


def test_null_source_is_kept_apart_from_a_missing_one() -> None:
    one, other = load(dump(template(["a:x silent"]))), load(dump(template(["a:x"])))
    assert one.strips[0].source is None
    assert one != other


def test_a_byte_order_mark_is_simply_understood() -> None:
    made = template(["a:x"])
    assert load(b"\xef\xbb\xbf" + dump(made)) == made
