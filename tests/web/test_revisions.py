"""Revisions: created, compared, applied, restored, approved, signed; packs that are identical every time."""

from __future__ import annotations

import hashlib
import io
import os
import subprocess
import sys
import time
import zipfile
from threading import Barrier, Thread
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client

from lattice.changes.digests import document_digest, section_digests
from lattice.errors import EditError
from lattice.formats.document_json import load
from lattice.model.document import Template
from tests.build import template
from tests.web.test_writes import now, write
from web.people.roles import Role
from web.revisions import services as revisions
from web.revisions import tasks
from web.revisions.comparing import comparison
from web.revisions.models import Pack, Revision, Tick
from web.revisions.pack import make_pack
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.heads import document_of
from web.shelf.models import Share, StoredTemplate
from web.shelf.workspace import Workspace, forget_all

GOOD = template(
    [{"id": "kick", "name": "Kick", "kind": "audio", "section": "drums"}, {"id": "bus", "name": "Drum bus", "kind": "bus", "section": "drums"}, {"id": "out", "name": "Out", "kind": "output"}],
    ["kick>bus", "bus>out"],
    sections=[{"id": "drums", "name": "Drums", "bus": "bus"}],
)  # fmt: skip


@pytest.fixture
def mine(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, GOOD)


pytestmark = pytest.mark.usefixtures("at_once")


def post(client: Client, stored: StoredTemplate, what: str, **values: Any) -> Any:
    stored.refresh_from_db()
    return client.post(f"/t/{stored.pk}/revisions/{what}/", {"base": stored.version, **values})


def seal(client: Client, stored: StoredTemplate, note: str = "first") -> Any:
    return post(client, stored, "seal", note=note)


def tick_all(by: User, stored: StoredTemplate) -> None:
    """Every section approved by another user, who gets the role reviewer if needed."""
    if stored.owner != by:
        Share.objects.get_or_create(template=stored, user=by, defaults={"role": Role.CHECKER})
    client = Client()
    client.force_login(by)
    for section, digest in section_digests(now(stored)).items():
        assert post(client, stored, "tick", section=section, digest=digest).status_code == 302


def test_sealing_keeps_the_state_as_it_is_whatever_comes_after(signed_in: Client, mine: StoredTemplate) -> None:
    assert seal(signed_in, mine).status_code == 302
    write(signed_in, mine, "change_strip", strip="kick", fader_db="-9")
    assert seal(signed_in, mine, "quieter").status_code == 302
    first, second = Revision.objects.order_by("number")
    assert [(one.number, one.note) for one in (first, second)] == [(1, "first"), (2, "quieter")]
    assert revisions.content(first) == GOOD
    assert revisions.content(second) == now(mine)
    assert load(signed_in.get(f"/t/{mine.pk}/revisions/1/document/").content) == GOOD
    mine.refresh_from_db()
    assert mine.state == "revision 2, sealed"
    write(signed_in, mine, "undo")
    mine.refresh_from_db()
    assert mine.state == "in work since revision 2, edit 2"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"note": " "}, "needs a note"),
        ({"base": 7}, "has changed"),
    ],
)
def test_what_is_not_sealed_and_why(
    signed_in: Client, mine: StoredTemplate, values: dict[str, Any], words: str
) -> None:
    answer = post(signed_in, mine, "seal", **{"note": "x", **values})
    assert answer.status_code in (409, 422)
    assert words in answer.content.decode()
    assert not Revision.objects.exists()


def test_the_same_state_is_not_sealed_twice(signed_in: Client, mine: StoredTemplate) -> None:
    seal(signed_in, mine)
    assert "nothing has changed since revision 1" in seal(signed_in, mine, "again").content.decode()


def test_single_differences_are_taken_over_and_undone(signed_in: Client, mine: StoredTemplate) -> None:
    seal(signed_in, mine)
    write(signed_in, mine, "change_strip", strip="kick", fader_db="-9", pan="0.5")
    write(signed_in, mine, "remove_strips", strips="bus")
    page = signed_in.get(f"/t/{mine.pk}/revisions/compare/?from=1&to=now").content.decode()
    for words in (
        "Drum bus: removed",
        "Kick: fader 0 → −9",
        'value="added/route/r1/"',
    ):  # shown as added, reverted by its key
        assert words in page
    broken = post(signed_in, mine, "1/take", key=["added/route/r1/"])
    assert (broken.status_code, "strip bus does not exist" in broken.content.decode()) == (422, True)
    done = post(signed_in, mine, "1/take", key=["added/strip/bus/", "added/route/r1/", "changed/strip/kick/fader_db"])
    assert done.status_code == 302
    kick, bus, _out = now(mine).strips
    assert (kick.fader_db, kick.pan, bus.id) == (0.0, 0.5, "bus")
    assert post(signed_in, mine, "1/take").status_code == 422
    assert post(signed_in, mine, "1/take", key=["added/strip/nobody/"]).status_code == 422
    write(signed_in, mine, "undo")
    assert [strip.id for strip in now(mine).strips] == ["kick", "out"]


def test_going_back_is_an_edit_and_loses_nothing(signed_in: Client, mine: StoredTemplate) -> None:
    seal(signed_in, mine)
    write(signed_in, mine, "change_strip", strip="kick", name="Boom")
    after = now(mine)
    assert post(signed_in, mine, "1/back").status_code == 302
    assert now(mine) == GOOD
    write(signed_in, mine, "undo")
    assert now(mine) == after


def test_a_comparison_says_levels_latency_and_findings(signed_in: Client) -> None:
    before, after = Workspace(night_ferry.clean()), Workspace(night_ferry.in_work())
    found = comparison(before, after)
    lines = [line.words for _what, ones in found["groups"] for line in ones]
    assert "Show mix 5.1, inserts: Ceiling state usual → bypassed" in lines
    assert found["latency"] == (before.analysis.arrivals.total_samples, after.analysis.arrivals.total_samples)
    assert "Gangway doors reaches no output, print or stem" in [finding.message for finding in found["came"]]
    assert {change.name for change in found["levels"]} >= {"Out 1–6", "Ensemble print"}
    assert comparison(before, before)["count"] == 0


def test_ticks_are_of_accounts_lapse_with_their_section_and_count_only_from_somebody_else(
    signed_in: Client, mine: StoredTemplate, owner: User, second: User
) -> None:
    seal(signed_in, mine)
    tick_all(owner, mine)
    page = signed_in.get(f"/t/{mine.pk}/revisions/").content.decode()
    assert "created the revision" in page
    assert "by I. Strand, the creator of the revision" in page
    tick_all(second, mine)
    assert "all 2 sections approved" in signed_in.get(f"/t/{mine.pk}/revisions/").content.decode()
    write(signed_in, mine, "change_strip", strip="kick", name="Boom")
    page = signed_in.get(f"/t/{mine.pk}/revisions/").content.decode()
    assert page.count("void: the section has changed since") == 1  # the output lies outside sections and is as it was
    old = section_digests(GOOD)["drums"]
    answer = post(signed_in, mine, "tick", section="drums", digest=old)
    assert "has changed since you opened it" in answer.content.decode()
    post(signed_in, mine, "untick", section="")
    assert [tick.section for tick in Tick.objects.all()] == ["drums"]


def test_what_stands_in_the_way_is_said_and_then_it_is_signed_and_locked(
    signed_in: Client, mine: StoredTemplate, second: User
) -> None:
    write(signed_in, mine, "change_strip", strip="bus", mute="true")
    seal(signed_in, mine)
    answer = post(signed_in, mine, "1/sign").content.decode()
    assert "warnings not fixed or waived" in answer
    assert "not approved by a second person: Drums" in answer
    write(signed_in, mine, "undo")
    seal(signed_in, mine, "unmuted")
    tick_all(second, mine)
    assert post(signed_in, mine, "2/sign").status_code == 302
    mine.refresh_from_db()
    assert (mine.released, mine.state) == (2, "revision 2, released")
    again = post(signed_in, mine, "2/sign")
    assert "signed off already, by I. Strand" in again.content.decode()
    assert Revision.objects.get(number=2).signed_by == "I. Strand"
    assert "revision 2, released" in signed_in.get("/").content.decode()


def test_variants_stand_side_by_side(signed_in: Client, mine: StoredTemplate) -> None:
    signed_in.post(f"/t/{mine.pk}/duplicate/")
    copy = StoredTemplate.objects.exclude(pk=mine.pk).get()
    write(signed_in, copy, "add_insert", strip="bus", type="eq")
    for one in (mine, copy):
        page = signed_in.get(f"/t/{one.pk}/revisions/").content.decode()
        assert "Test (copy)" in page
        assert page.count("variant of") == 0
    assert "variant of Test" in signed_in.get("/").content.decode()


# the pack


def test_the_pack_is_made_listed_and_the_same_byte_for_byte(signed_in: Client, mine: StoredTemplate) -> None:
    seal(signed_in, mine)
    assert signed_in.get(f"/t/{mine.pk}/revisions/1/pack/").status_code == 404
    assert post(signed_in, mine, "1/pack/begin").status_code == 302
    pack = Pack.objects.get()
    assert (pack.state, pack.percent) == (Pack.DONE, 100)
    answer = signed_in.get(f"/t/{mine.pk}/revisions/1/pack/")
    assert answer["Content-Disposition"] == 'attachment; filename="test-r1.zip"'
    forget_all()
    assert make_pack(Revision.objects.get()) == answer.content
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        names = {name.partition("/")[2] for name in archive.namelist()}
        assert names == {
            "document.json",
            "track-sheet.csv",
            "map.svg",
            "map.pdf",
            "report.pdf",
            "manual.pdf",
            "inventory-main.csv",
            "checksums.sha256",
            "views/1-writing.svg",
            "views/2-mixing.svg",
            "views/3-delivery.svg",
        }
        listed = dict(
            reversed(line.split("  ")) for line in archive.read("test-r1/checksums.sha256").decode().splitlines()
        )
        assert set(listed) == names - {"checksums.sha256"}
        for name, checksum in listed.items():
            assert hashlib.sha256(archive.read(f"test-r1/{name}")).hexdigest() == checksum
        assert load(archive.read("test-r1/document.json")) == GOOD


def test_a_pack_is_cancelled_between_two_steps_and_can_be_made_again(
    signed_in: Client, mine: StoredTemplate, monkeypatch: pytest.MonkeyPatch
) -> None:
    seal(signed_in, mine)
    said: list[str] = []

    def slowly(revision: Revision, tell: Any) -> bytes:
        for step, percent in (("document", 5), ("map", 15), ("report", 45)):
            tell(step, percent)
            said.append(step)
            if step == "map":
                post(signed_in, mine, "1/pack/cancel")
        return b"never"

    monkeypatch.setattr(tasks, "make_pack", slowly)
    post(signed_in, mine, "1/pack/begin")
    assert said == ["document", "map"]
    assert (Pack.objects.get().state, Pack.objects.get().percent) == (Pack.CANCELLED, 15)
    assert "Stopped at 15 %" in signed_in.get(f"/t/{mine.pk}/revisions/1/pack/progress/").content.decode()
    monkeypatch.undo()
    post(signed_in, mine, "1/pack/begin")
    assert Pack.objects.first().state == Pack.DONE  # type: ignore[union-attr]


def test_a_pack_that_fails_says_why(signed_in: Client, mine: StoredTemplate, monkeypatch: pytest.MonkeyPatch) -> None:
    seal(signed_in, mine)

    def fails(_revision: Revision, _tell: Any) -> bytes:
        raise OSError("no room on the disk")

    monkeypatch.setattr(tasks, "make_pack", fails)
    post(signed_in, mine, "1/pack/begin")
    assert "no room on the disk" in signed_in.get(f"/t/{mine.pk}/revisions/1/pack/progress/").content.decode()


# at once, and killed


@pytest.mark.django_db(transaction=True)
def test_two_who_seal_at_once_make_one_revision_and_the_second_is_told(owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    outcomes = _both(lambda n: revisions.seal(stored.pk, owner, 1, f"note {n}"))
    assert sorted(outcomes) == ["EditError", "done"]
    assert Revision.objects.count() == 1


@pytest.mark.django_db(transaction=True)
def test_one_who_edits_and_one_who_seals_lose_nothing(owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    steps = [services.EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": -9.0}})]
    work = [
        lambda: services.edit(stored.pk, owner, 1, "Edit", steps),
        lambda: revisions.seal(stored.pk, owner, 1, "note"),
    ]
    outcomes = _both(lambda n: work[n]())
    stored.refresh_from_db()
    assert outcomes[0] == "done"
    assert outcomes[1] in ("done", "StaleVersionError")  # sealed before the edit, or told that it came after
    assert stored.version == 2
    if outcomes[1] == "done":
        assert revisions.content(Revision.objects.get()) == GOOD


@pytest.mark.django_db(transaction=True)
def test_two_who_sign_at_once_sign_once(owner, second) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    Share.objects.create(template=stored, user=second, role=Role.EDITOR)
    made = revisions.seal(stored.pk, owner, 1, "note")
    for section, digest in section_digests(GOOD).items():
        revisions.tick(stored.pk, second, section, digest)
    outcomes = _both(lambda n: revisions.sign(made.pk, (owner, second)[n]))
    assert sorted(outcomes) == ["EditError", "done"]


def _both(work: Any) -> list[str]:
    """The results of two threads that start together: “done”, or the name of the exception."""
    gate, outcomes = Barrier(2), ["", ""]

    def run(number: int) -> None:
        gate.wait()
        try:
            work(number)
            outcomes[number] = "done"
        except (EditError, services.StaleVersionError) as wrong:
            outcomes[number] = type(wrong).__name__
        finally:
            connection.close()

    threads = [Thread(target=run, args=(number,)) for number in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return outcomes


KILLED = """
import django, os, sys
django.setup()
from django.contrib.auth import get_user_model
from django.db import connection
from web.shelf import services
from web.revisions import services as revisions
from lattice.model.edit_step import EditStep
user, pk = get_user_model().objects.get(), int(sys.argv[1])
version = 1
print("ready", flush=True)
while True:
    version = services.edit(pk, user, version, "Edit", [EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": -float(version % 60) - 1}})]).version
    revisions.seal(pk, user, version, f"note {version}")
"""


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("after_ms", [5, 60, 170, 333])
def test_a_process_killed_in_the_middle_of_writing_leaves_the_last_whole_state(owner, after_ms: int) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, GOOD)
    connection.close()
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.web.killed_settings",
        "KILLED_DATABASE": str(connection.settings_dict["NAME"]),
    }
    process = subprocess.Popen([sys.executable, "-c", KILLED, str(stored.pk)], cwd=settings.ROOT, env=environment, stdout=subprocess.PIPE)  # fmt: skip
    assert process.stdout is not None
    assert process.stdout.readline() == b"ready\n"
    time.sleep(after_ms / 1000)
    process.kill()
    process.wait()
    process.stdout.close()
    forget_all()
    stored.refresh_from_db()
    entries = list(stored.journal.order_by("version").values_list("version", flat=True))
    assert entries == list(range(2, stored.version + 1))  # every version has its entry, and none is half there
    kick: Template = load(document_of(bytes(stored.head)))
    expected = 0.0 if stored.version == 1 else -float((stored.version - 1) % 60) - 1
    assert kick.strips[0].fader_db == expected
    numbers = list(stored.revisions.order_by("number").values_list("number", flat=True))
    assert numbers == list(range(1, stored.revision + 1))
    for revision in stored.revisions.all():
        assert document_digest(revisions.content(revision)) == revision.digest
