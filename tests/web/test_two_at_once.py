"""Two people on one template: edits are put on top of each other's or refused, undo is each one's own."""

from __future__ import annotations

from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from lattice.errors import DocumentError
from lattice.formats.document_json import dump
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from tests.build import template
from tests.conftest import MADE
from tests.deep import SCALE
from tests.web.test_writes import now, write
from web.people.roles import Role
from web.shelf import services
from web.shelf.access import NotAllowedError
from web.shelf.history import StaleVersionError, state_at
from web.shelf.models import JournalEntry, Share, StoredTemplate
from web.shelf.workspace import forget_all


@pytest.fixture
def other(second: User, stored: StoredTemplate) -> Client:
    """Another user's browser, as an editor of the template."""
    Share.objects.create(template=stored, user=second, role=Role.EDITOR)
    client = Client()
    client.force_login(second)
    return client


def test_edits_that_touch_nothing_in_common_are_both_kept(
    signed_in: Client, other: Client, stored: StoredTemplate
) -> None:
    write(other, stored, "change_strip", strip="kick", pan="0.5")
    answer = write(signed_in, stored, "change_strip", base=1, strip="kick", fader_db="-3")
    assert answer.status_code == 200
    assert 'data-version="3"' in answer.content.decode()
    kick = now(stored).strips[0]
    assert (kick.pan, kick.fader_db) == (0.5, -3.0)
    assert [str(entry.by) for entry in JournalEntry.objects.all()] == ["second", "owner"]


def folds(client: Client, stored: StoredTemplate) -> int:
    """Folded sections on a person's map."""
    return client.get(f"/t/{stored.pk}/map/").content.decode().count("k-fold")


def test_each_has_folded_their_own_map(signed_in: Client, other: Client, owner: User) -> None:
    sections = [{"id": one, "name": one.title()} for one in ("drums", "keys")]
    strips = [{"id": f"{one}-{n}", "kind": "audio", "section": one} for one in ("drums", "keys") for n in (1, 2)]
    shared = services.store(owner, template([*strips, "o:out"], ["drums-1>out"], sections=sections))
    Share.objects.create(template=shared, user=User.objects.get(username="second"), role=Role.READER)
    none = folds(signed_in, shared)
    signed_in.post(f"/t/{shared.pk}/write/fold/", {"section": "all", "base": 1})
    assert (folds(signed_in, shared) - none, folds(other, shared)) == (2, none)
    other.post(f"/t/{shared.pk}/write/fold/", {"section": "drums", "base": 1})
    assert (folds(signed_in, shared) - none, folds(other, shared) - none) == (2, 1)
    write(signed_in, shared, "change_strip", strip="keys-1", fader_db="-3")
    forget_all()
    assert (folds(signed_in, shared) - none, folds(other, shared) - none) == (2, 1), "and an edit changes nothing of it"


def test_edits_that_touch_the_same_are_refused_with_both_states(
    signed_in: Client, other: Client, stored: StoredTemplate
) -> None:
    write(other, stored, "change_strip", strip="kick", fader_db="2")
    answer = write(signed_in, stored, "change_strip", base=1, strip="kick", fader_db="-3")
    said = " ".join(answer.content.decode().split())
    assert answer.status_code == 409
    assert answer["HX-Retarget"] == "#notice", "what was typed stays where it is"
    assert '<td>Kick, fader</td> <td class="quiet">usual</td> <td>−3</td> <td>2</td>' in said
    assert "M. Quay, edit 1: Kick: fader" in said
    assert now(stored).strips[0].fader_db == 2.0


def test_a_strip_that_somebody_has_taken_away_is_named(
    signed_in: Client, other: Client, stored: StoredTemplate
) -> None:
    write(other, stored, "remove_strips", strips="lost")
    answer = write(signed_in, stored, "change_strip", base=1, strip="lost", fader_db="-3")
    assert answer.status_code == 409
    assert "removed" in answer.content.decode()


def test_undo_takes_back_one_s_own_newest_edit(signed_in: Client, other: Client, stored: StoredTemplate) -> None:
    write(signed_in, stored, "change_strip", strip="kick", fader_db="-3")
    write(other, stored, "change_strip", strip="bus", fader_db="-6")
    assert write(signed_in, stored, "undo").status_code == 200
    kick, _lost, bus, _out = now(stored).strips
    assert (kick.fader_db, bus.fader_db) == (0.0, -6.0)
    assert write(signed_in, stored, "undo").status_code == 422, "the other one's is not ours to undo"
    write(signed_in, stored, "redo")
    assert now(stored).strips[0].fader_db == -3.0
    write(other, stored, "undo")
    kick, _lost, bus, _out = now(stored).strips
    assert (kick.fader_db, bus.fader_db) == (-3.0, 0.0)


def test_undo_says_who_built_on_an_edit(signed_in: Client, other: Client, stored: StoredTemplate) -> None:
    write(signed_in, stored, "change_strip", strip="kick", fader_db="-3")
    write(other, stored, "change_strip", strip="kick", fader_db="-9")
    write(other, stored, "change_strip", strip="bus", fader_db="-1")
    answer = write(signed_in, stored, "undo")
    said = answer.content.decode()
    assert answer.status_code == 409
    assert "M. Quay, edit 2: Kick: fader" in said
    assert "edit 3" not in said
    assert now(stored).strips[0].fader_db == -9.0


def test_an_edit_that_the_page_does_not_show_is_not_undone(signed_in: Client, stored: StoredTemplate) -> None:
    write(signed_in, stored, "change_strip", strip="kick", fader_db="-3")
    assert write(signed_in, stored, "undo", base=1).status_code == 409
    assert now(stored).strips[0].fader_db == -3.0


def test_a_role_taken_away_while_its_holder_edits_is_told_and_nothing_is_written(
    stored: StoredTemplate, second: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    Share.objects.create(template=stored, user=second, role=Role.EDITOR)
    prepared = services.PreparedState

    def slow(*given: Any) -> Any:
        Share.objects.update(role=Role.READER)
        return prepared(*given)

    monkeypatch.setattr(services, "PreparedState", slow)
    step = EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": -3.0}})
    with pytest.raises(NotAllowedError, match="You need the role editor to edit"):
        services.edit(stored.pk, second, 1, "edit", [step])
    assert now(stored) == MADE


def test_a_checker_waives_and_takes_that_back_and_edits_nothing(stored: StoredTemplate, second: User) -> None:
    Share.objects.create(template=stored, user=second, role=Role.CHECKER)
    client = Client()
    client.force_login(second)
    assert write(client, stored, "change_strip", strip="kick", fader_db="-3").status_code == 403
    answer = write(client, stored, "waive", fingerprint="0123456789ab", reason="meant so", by="I. Strand")
    assert answer.status_code == 200
    assert now(stored).waivers[0].by == "M. Quay", "whoever is signed in says so, whatever the form says"
    assert write(client, stored, "undo").status_code == 200
    assert now(stored) == MADE


ROOM = template(["a:kick", "a:bass", "b:bus", "o:out"], ["kick>bus", "bus>out"])
STEPS = [
    EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": -6.0}}),
    EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": 2.0}}),
    EditStep("change_strip", {"strip": "kick", "changes": {"pan": 0.5}}),
    EditStep("add_route", {"route": {"kind": "feed", "from": "bass", "to": "bus"}}),
    EditStep("add_route", {"route": {"kind": "send", "from": "kick", "to": "out"}}),
    EditStep("remove_strips", {"strips": ["bass"]}),
    EditStep("add_strip", {"strip": {"name": "Hat", "kind": "audio"}}),
    EditStep("change_template", {"changes": {"tempo_bpm": 96.0}}),
]
MOVES = st.lists(
    st.tuples(st.sampled_from([0, 1]), st.sampled_from([*range(len(STEPS)), "undo", "redo"]), st.integers(0, 3)),
    max_size=12,
)


class TestTheJournal(TestCase):
    @given(MOVES)
    @settings(
        max_examples=max(1, int(60 * SCALE)), deadline=None, suppress_health_check=[HealthCheck.differing_executors]
    )
    def test_it_replays_to_its_head_whoever_wrote_on_whatever_version(self, moves: list[Any]) -> None:
        forget_all()
        people = [User.objects.get_or_create(username=name)[0] for name in ("one", "two")]
        stored = services.store(people[0], ROOM)
        Share.objects.create(template=stored, user=people[1], role=Role.EDITOR)
        states: list[Template] = [ROOM]
        for who, what, behind in moves:
            version = len(states)
            base = max(1, version - behind)
            try:
                if what == "undo":
                    services.undo(stored.pk, people[who], version)
                elif what == "redo":
                    services.redo(stored.pk, people[who], version)
                else:
                    services.edit(stored.pk, people[who], base, "edit", [STEPS[what]])
            except (DocumentError, StaleVersionError):
                pass
            if StoredTemplate.objects.get(pk=stored.pk).version > version:
                states.append(now(stored))
            assert now(stored) == states[-1]
        stored.refresh_from_db()
        assert stored.version == len(states)
        for version, state in enumerate(states, start=1):
            assert dump(state_at(stored, states[-1], version)) == dump(state)
        replayed = ROOM
        for entry in stored.journal.all():
            replayed = entry.change.apply(replayed)  # type: ignore[union-attr]
        assert dump(replayed) == dump(states[-1])
