"""The history against a plain model of undo: two stacks of whole versions, for any order of actions."""

from __future__ import annotations

import pytest
from django.contrib.auth.models import User
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from lattice.errors import DocumentError, EditError
from lattice.formats.document_json import read_back
from lattice.model.edit_step import EditStep
from tests.build import template
from tests.deep import SCALE
from web.shelf import services
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate
from web.shelf.workspace import forget_all

MADE = template(["a:kick", "b:bus", "o:out"], ["kick>bus", "bus>out"])
EDITS = [
    EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": -6.0}}),
    EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": 0.0}}),  # often no change at all
    EditStep("add_strip", {"strip": {"name": "Hat", "kind": "audio"}}),
    EditStep("remove_routes", {"routes": ["r1"]}),  # refused the second time
    EditStep("change_template", {"changes": {"tempo_bpm": 96.0}}),
]
DONE = st.lists(st.sampled_from([*range(len(EDITS)), "undo", "undo", "redo", "restart"]), max_size=14)


class TestJournal(TestCase):
    @given(DONE)
    @settings(
        max_examples=max(1, int(25 * SCALE)), deadline=None, suppress_health_check=[HealthCheck.differing_executors]
    )
    def test_it_is_always_where_two_piles_would_be(self, done: list[int | str]) -> None:
        forget_all()  # each example is rolled back, and the next one's template has the same number
        owner, _ = User.objects.get_or_create(username="journal")
        stored = services.store(owner, MADE)
        now, past, future = MADE, [], []
        for one in done:
            if one == "restart":  # nothing is kept but what is in the database
                forget_all()
                continue
            base = StoredTemplate.objects.get(pk=stored.pk).version
            try:
                if one == "undo":
                    after = services.undo(stored.pk, owner, base)
                elif one == "redo":
                    after = services.redo(stored.pk, owner, base)
                else:
                    after = services.edit(stored.pk, owner, base, "edit", [EDITS[int(one)]])
            except (EditError, DocumentError):
                assert (one == "undo" and not past) or (one == "redo" and not future) or one == 3
                assert StoredTemplate.objects.get(pk=stored.pk).version == base
                continue
            shown = read_back(document_of(bytes(after.head)))
            if one == "undo":
                future.append(now)
                now = past.pop()
            elif one == "redo":
                past.append(now)
                now = future.pop()
            elif shown != now:
                past, future, now = [*past, now], [], shown
            assert shown == now
            assert after.version == base + (after.version != base)
            assert after.journal.count() == after.version - stored.version

    def test_what_was_undone_before_a_new_edit_is_not_redone(self) -> None:
        owner = User.objects.create(username="journal")
        stored = services.store(owner, MADE)
        services.edit(stored.pk, owner, 1, "first", [EDITS[0]])
        services.undo(stored.pk, owner, 2)
        services.edit(stored.pk, owner, 3, "second", [EDITS[4]])
        with pytest.raises(EditError, match="no edit to redo"):
            services.redo(stored.pk, owner, 4)
