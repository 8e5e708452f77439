"""Rows of insert types, strip kinds and route kinds: each is whole, and a template with it is read, drawn and audited."""

from __future__ import annotations

import msgspec
import pytest

from lattice.checks import audit
from lattice.exports import EXPORTS
from lattice.formats import track_sheet
from lattice.formats.document_json import dump, load
from lattice.model.document import Insert, Template
from lattice.model.insert_types import INSERT_TYPES, InsertTraits
from lattice.model.route_kinds import ROUTE_KINDS, RouteTraits
from lattice.model.strip_kinds import STRIP_KINDS, TRAITS, StripTraits
from lattice.model.validate import problems
from tests.build import template

FIELDS = {field.name for field in msgspec.structs.fields(Insert)}


def goes_everywhere(made: Template) -> None:
    """It is the same after being written and read, every export takes it, and the audit ends."""
    assert load(dump(made)) == made
    assert audit(made).findings is not None
    for export in EXPORTS.values():
        assert export.write(made)


@pytest.mark.parametrize("rows", [INSERT_TYPES, STRIP_KINDS, ROUTE_KINDS])
def test_names_are_there_once(rows: tuple[InsertTraits | StripTraits | RouteTraits, ...]) -> None:
    assert len({row.name for row in rows}) == len(rows)


@pytest.mark.parametrize("row", INSERT_TYPES, ids=lambda row: row.name)
class TestInsertTypes:
    def test_what_it_does_can_be_typed(self, row: InsertTraits) -> None:
        """Its form has the fields that its behaviour is computed from (docs/reference/checks.md, *Levels*)."""
        needed = {"threshold_db", "ratio"} if row.compresses else set()
        needed |= {"ceiling_db"} if row.ceiling != "none" else set()
        needed |= {"delay_ms", "feedback"} if row.repeats else set()
        needed |= {"io_out", "io_in"} if row.is_external else set()
        assert needed <= set(row.fields) <= FIELDS

    def test_it_goes_everywhere(self, row: InsertTraits) -> None:
        insert = {
            "id": "i",
            "type": row.name,
            "gain_db": 3.0,
            "wet": 0.5,
            "key": "external" if row.can_be_keyed else "none",
        }
        made = template(
            [{"id": "x", "kind": "audio", "inserts": [insert]}, "a:t", "o:z"],
            ["x>z", *(["key t>x/i"] if row.can_be_keyed else [])],
        )
        goes_everywhere(made)
        assert track_sheet.load(EXPORTS["csv"].write(made)).strips[0].inserts[0].type == row.name

    def test_a_key_may_work_it_where_its_row_says_so(self, row: InsertTraits) -> None:
        keyed = {
            "name": "T",
            "strips": [
                {"id": "x", "name": "X", "kind": "audio", "inserts": [{"id": "i", "type": row.name}]},
                {"id": "t", "name": "T", "kind": "audio"},
            ],
            "routes": [{"id": "r", "kind": "key", "from": "t", "to": "x", "to_insert": "i"}],
        }
        assert (not list(problems(msgspec.convert(keyed, Template)))) == row.can_be_keyed


@pytest.mark.parametrize("row", STRIP_KINDS, ids=lambda row: row.name)
def test_a_strip_of_each_kind_goes_everywhere(row: StripTraits) -> None:
    goes_everywhere(template([{"id": "x", "name": "X", "kind": row.name}, "o:z"], []))


@pytest.mark.parametrize("row", ROUTE_KINDS, ids=lambda row: row.name)
def test_a_route_of_each_kind_joins_what_its_row_allows_and_nothing_else(row: RouteTraits) -> None:
    machines = [{"id": "main", "name": "Main"}, {"id": "other", "name": "Other"}]
    insert = {"id": "i", "type": "compressor", "key": "external"}
    for start in TRAITS:
        for end in TRAITS:
            strips = [
                {"id": "s", "name": "S", "kind": start, "layout": "mono"},
                {
                    "id": "e",
                    "name": "E",
                    "kind": end,
                    "layout": "mono",
                    "inserts": [insert] if TRAITS[end].carries_sound else [],
                    "machine": "other" if row.machines == "two" else "main",
                },
            ]
            route = {
                "id": "r",
                "kind": row.name,
                "from": "s",
                "to": "e",
                **({"to_insert": "i"} if row.works_insert else {}),
            }
            made = msgspec.convert({"name": "T", "machines": machines, "strips": strips, "routes": [route]}, Template)
            allowed = start in row.starts_at and end in row.ends_at
            assert (not any(problem.startswith("routes") for problem in problems(made))) == allowed, (
                row.name,
                start,
                end,
            )
