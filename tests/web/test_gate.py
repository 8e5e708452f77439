"""The gate of a release: each condition alone blocks it, is listed, and disappears when met."""

from __future__ import annotations

from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client

from lattice.changes.digests import section_digests
from lattice.model.document import Template
from tests.build import template
from tests.web.test_revisions import GOOD, post, seal, tick_all
from tests.web.test_writes import now, write
from web.revisions.gate import GateCondition, gate, ticked
from web.revisions.models import Revision, Tick
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace

STRIPS = [
    {"id": "kick", "name": "Kick", "kind": "audio", "section": "drums"},
    {"id": "out", "name": "Out", "kind": "output"},
]
SECTIONS = [{"id": "drums", "name": "Drums"}]


def made(*routes: str, strips: tuple[Any, ...] = (), **fields: Any) -> Template:
    return template([*STRIPS, *strips], list(routes) or ["kick>out"], **{"sections": SECTIONS, **fields})


def waived(fingerprint: str) -> dict[str, Any]:
    return {"waivers": [{"fingerprint": fingerprint, "reason": "meant so", "by": "I. Strand"}]}


def conditions(owner: User, content: Template, by: User | None = None) -> list[GateCondition]:
    """Of a version with a revision by its owner; approved by another user by default."""
    stored = services.store(owner, content)
    revision = Revision(template=stored, number=1, by="I. Strand", user=owner, version=1)
    by = by or User.objects.get_or_create(username="second", first_name="M.", last_name="Quay")[0]
    for section, digest in section_digests(content).items():
        Tick.objects.create(template=stored, section=section, digest=digest, by="M. Quay", user=by)
    return gate(Workspace(content), revision)


def open_words(points: list[GateCondition]) -> list[str]:
    return [point.words for point in points if not point.is_met]


def test_a_clean_state_that_somebody_looked_through_has_nothing_in_its_way(owner) -> None:  # type: ignore[no-untyped-def]
    points = conditions(owner, GOOD)
    assert open_words(points) == []
    assert [point.place for point in points] == ["findings", "findings", "hygiene", "revisions"]


@pytest.mark.parametrize(
    ("content", "words", "place"),
    [
        (made("kick>out", strips=({"id": "lost", "name": "Lost", "kind": "audio"},)), "1 blocker open", "findings"),
        (
            made("kick>out", strips=tuple({"id": f"l{n}", "name": f"L{n}", "kind": "audio"} for n in range(2))),
            "2 blockers open (1 issue)",
            "findings",
        ),
        (
            made("kick>out", strips=({"id": "dead", "name": "Dead", "kind": "output"},)),
            "1 warning not fixed or waived",
            "findings",
        ),
        (made(**waived("0123456789ab")), "1 waiver without a finding", "hygiene"),
    ],
)
def test_one_thing_alone_stands_in_the_way(owner, content: Template, words: str, place: str) -> None:  # type: ignore[no-untyped-def]
    (left,) = [point for point in conditions(owner, content) if not point.is_met]
    assert (left.words, left.place) == (words, place)


def test_findings_of_one_cause_are_counted_as_one_matter_too(owner) -> None:  # type: ignore[no-untyped-def]
    lost = tuple({"id": f"l{n}", "name": f"L{n}", "kind": "audio"} for n in range(3))
    stop = {"id": "stop", "name": "Stop", "kind": "bus"}
    content = made("kick>out", *(f"l{n}>stop" for n in range(3)), strips=(*lost, stop))
    assert conditions(owner, content)[0].words == "3 blockers open (1 issue)"


def test_a_waived_warning_is_a_decision_and_a_waived_blocker_too(owner) -> None:  # type: ignore[no-untyped-def]
    strips = ({"id": "dead", "name": "Dead", "kind": "output"}, {"id": "lost", "name": "Lost", "kind": "audio"})
    open_state = made("kick>out", strips=strips)
    wrong = [finding.fingerprint for finding in Workspace(open_state).audit.findings if finding.severity != "note"]
    waivers = [{"fingerprint": fingerprint, "reason": "meant so"} for fingerprint in wrong]
    assert len(open_words(conditions(owner, open_state))) == 2
    assert open_words(conditions(owner, made("kick>out", strips=strips, waivers=waivers))) == []


def test_a_section_that_nobody_ticked_is_named(owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    points = gate(Workspace(GOOD), Revision(template=stored, number=1, by="I. Strand", user=owner, version=1))
    assert open_words(points) == ["not approved by a second person: Drums, No section"]


def test_who_sealed_it_is_no_second_person_whatever_the_tick_says(owner) -> None:  # type: ignore[no-untyped-def]
    points = conditions(owner, GOOD, by=owner)
    assert open_words(points) == [
        "not approved by a second person: Drums, No section; Drums, No section by I. Strand, the creator of the revision"
    ]
    stored = StoredTemplate.objects.get()
    assert [one.state for one in ticked(Workspace(GOOD), stored.pk, owner.pk)] == ["; created the revision"] * 2


def test_a_tick_lapses_with_a_change_of_its_section_alone(signed_in: Client, owner, second) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    seal(signed_in, stored)
    tick_all(second, stored)
    write(signed_in, stored, "change_strip", strip="out", name="Speakers")
    states = {one.name: one.state for one in ticked(Workspace(now(stored)), stored.pk, owner.pk)}
    assert states == {"Drums": "", "No section": "; void: the section has changed since"}
    write(signed_in, stored, "undo")
    assert all(one.is_good for one in ticked(Workspace(now(stored)), stored.pk, owner.pk))


def test_a_template_without_sections_is_looked_through_as_one(owner) -> None:  # type: ignore[no-untyped-def]
    flat = template(["a:x", "o:z"], ["x>z"])
    assert [one.name for one in ticked(Workspace(flat), services.store(owner, flat).pk)] == ["No section"]
    assert conditions(owner, flat)[-1].words == "the whole template approved by a second person"


@pytest.mark.parametrize("edit", ["dead", "lost"])
def test_signing_is_refused_while_anything_is_open_and_says_what(signed_in: Client, owner, second, edit: str) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    write(
        signed_in, stored, "spread", names=edit, kind="output" if edit == "dead" else "audio", layout="mono", section=""
    )
    seal(signed_in, stored)
    tick_all(second, stored)
    answer = post(signed_in, stored, "1/sign")
    assert answer.status_code in (409, 422)
    assert ("warning" if edit == "dead" else "blocker") in answer.content.decode()
    assert Revision.objects.get().signed_at is None


def test_only_the_newest_revision_is_signed(signed_in: Client, owner, second) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    seal(signed_in, stored)
    write(signed_in, stored, "change_strip", strip="kick", name="Boom")
    seal(signed_in, stored, "renamed")
    tick_all(second, stored)
    old = post(signed_in, stored, "1/sign")
    assert old.status_code in (409, 422)
    assert Revision.objects.filter(signed_at__isnull=False).count() == 0
    assert post(signed_in, stored, "2/sign").status_code == 302
