"""Edits over the web: each does one thing, is journalled, can be undone, and is refused on a stale page."""

from __future__ import annotations

import threading
from typing import Any

import pytest
from django.db import connection
from django.test import Client

from lattice.matters.matter import Matter
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from tests.build import template
from web.shelf import services
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace


def write(client: Client, stored: StoredTemplate, what: str, base: int | None = None, **values: Any) -> Any:
    stored.refresh_from_db()
    return client.post(f"/t/{stored.pk}/write/{what}/", {"base": stored.version if base is None else base, **values})


def now(stored: StoredTemplate) -> Template:
    return workspace(StoredTemplate.objects.get(pk=stored.pk)).template


TABLE: list[tuple[str, dict[str, Any], str]] = [
    ("change_strip", {"strip": "kick", "fader_db": "-6,5 dB"}, "Kick: fader −6.5"),
    ("change_strip", {"strip": "kick", "tags": "click, pop"}, "Kick: tags click pop"),
    ("change_strip", {"strip": "kick", "mute": "true"}, "Kick: mute on"),
    ("change_strip", {"strip": "out", "io": "3-4"}, "Out: io 3 4"),
    ("change_profile", {"mix_headroom_db": "9 dB"}, "Profile: mix headroom 9"),
    ("change_profile", {"loudness_lufs": "-24"}, "Profile: loudness lufs −24"),
    ("choose_profile", {"preset": "atsc-a85"}, "Profile: ATSC A/85"),
    ("change_compensation", {"limit_samples": "16000"}, "Compensation: limit 16000"),
    ("change_compensation", {"covers_keys": "false"}, "Compensation: covers keys off"),
    ("change_template", {"pan_law_db": "-4.5"}, "Template: pan law −4.5"),
    ("nudge_strip", {"strip": "kick", "where": "down"}, "Move Kick"),
    ("remove_strips", {"strips": "kick"}, "Remove Kick"),
    ("connect", {"from": "lost", "to": "bus"}, "feed Lost → Drum bus"),
    (
        "connect",
        {"from": "lost", "to": "bus", "kind": "send", "gain_db": "-12", "tap": "pre-fader"},
        "send Lost → Drum bus",
    ),
    ("add_insert", {"strip": "bus", "type": "compressor", "name": "Glue"}, "Drum bus: insert compressor"),
    ("change_route", {"route": "r1", "enabled": "false"}, "feed Kick → Drum bus: enabled off"),
    ("change_route", {"route": "r1", "gain_db": "off"}, "feed Kick → Drum bus: gain none"),
    ("remove_routes", {"routes": "r2"}, "Remove feed Drum bus → Out"),
    (
        "spread",
        {"names": "Tom 1\nTom 2\n", "kind": "audio", "layout": "mono", "section": "drums", "feed": "*section"},
        "Add 2 strips",
    ),
    ("change_timeline", {"pop_lead_s": "3"}, "Timeline: pop lead s 3"),
    ("set_markers", {"markers": "9 Verse\n17 Chorus"}, "2 markers"),
    ("set_info", {"lines": "artist: A. Tern"}, "1 file tags"),
    ("outboard_instrument", {"name": "Tide", "inputs": "7", "port": "1", "channel": ""}, "Outboard instrument Tide"),
    (
        "player_machine",
        {"name": "Player", "names": "High\tStrings", "layout": "stereo"},
        "Machine Player with its ties",
    ),
    ("add_section", {"name": "Choir", "colour": "#112233", "with_bus": "1"}, "Add section Choir"),
    ("change_section", {"section": "drums", "name": "Kit"}, "Drums: name Kit"),
    ("remove_sections", {"sections": "drums"}, "Remove section Drums"),
    ("change_template", {"tempo_bpm": "96", "name": "Renamed"}, "Template: name Renamed, tempo bpm 96"),
]


@pytest.mark.parametrize(("what", "values", "label"), TABLE)
def test_an_edit_is_journalled_undone_and_redone(
    signed_in: Client, stored: StoredTemplate, made: Template, what: str, values: dict, label: str
) -> None:
    answer = write(signed_in, stored, what, **values)
    assert answer.status_code == 200, answer.content.decode()
    changed = now(stored)
    assert changed != made
    assert JournalEntry.objects.get().label == label
    assert write(signed_in, stored, "undo").status_code == 200
    assert now(stored) == made
    assert write(signed_in, stored, "redo").status_code == 200
    assert now(stored) == changed
    assert [entry.kind for entry in JournalEntry.objects.all()] == ["edit", "undo", "redo"]


@pytest.mark.parametrize(
    ("what", "values", "words"),
    [
        ("change_strip", {"strip": "kick", "fader_db": "loud"}, "“loud” is not a level"),
        ("change_strip", {"strip": "kick", "pan": "9"}, "“9” is not a pan position"),
        ("change_strip", {"strip": "kick", "name": " "}, "name: is empty"),
        ("change_strip", {"strip": "gone", "name": "x"}, "strip gone does not exist; it may have been removed"),
        ("change_strip", {"strip": "kick"}, "no change given"),
        ("change_strip", {}, "strip is missing"),
        ("connect", {"from": "kick", "to": "bus"}, "Kick already has this feed to Drum bus"),
        ("connect", {"from": "kick", "to": "bus", "kind": "tie"}, "a tie starts at an output"),
        ("spread", {"names": " \n", "kind": "audio", "layout": "mono", "section": ""}, ""),
        ("nudge_strip", {"strip": "kick", "where": "up"}, "already at the end of its section"),
        ("change_template", {"tempo_bpm": "fast"}, "“fast” is not a number"),
    ],
)
def test_what_cannot_be_done_is_said_in_place_and_nothing_changes(
    signed_in: Client, stored: StoredTemplate, made: Template, what: str, values: dict, words: str
) -> None:
    answer = write(signed_in, stored, what, **values)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert answer["HX-Retarget"] == "#notice"
    assert now(stored) == made
    assert not JournalEntry.objects.exists()


def test_a_remedy_is_one_edit_and_the_finding_goes(signed_in: Client, stored: StoredTemplate) -> None:
    finding = workspace(stored).audit.findings[0]
    assert (finding.code, finding.strips) == ("route.unheard", ("lost",))
    assert write(signed_in, stored, f"remedy/{finding.fingerprint}/{finding.remedies[0].key}").status_code == 200
    left = workspace(StoredTemplate.objects.get()).audit.findings
    assert finding.fingerprint not in {other.fingerprint for other in left}
    assert {other.severity for other in left} <= {"note"}
    assert write(signed_in, stored, f"remedy/{finding.fingerprint}/{finding.remedies[0].key}").status_code == 422


def test_undo_has_no_end_and_a_new_edit_after_it_starts_a_new_way(
    signed_in: Client, stored: StoredTemplate, made: Template
) -> None:
    for level in range(1, 31):
        write(signed_in, stored, "change_strip", strip="kick", fader_db=str(-level))
    for _ in range(30):
        assert write(signed_in, stored, "undo").status_code == 200
    assert now(stored) == made
    assert write(signed_in, stored, "undo").status_code == 422
    for _ in range(10):
        write(signed_in, stored, "redo")
    assert now(stored).strips[0].fader_db == -10.0
    write(signed_in, stored, "change_strip", strip="kick", fader_db="3")
    assert write(signed_in, stored, "redo").status_code == 422
    write(signed_in, stored, "undo")
    assert now(stored).strips[0].fader_db == -10.0
    write(signed_in, stored, "redo")
    assert now(stored).strips[0].fader_db == 3.0


def test_an_edit_from_a_stale_page_is_refused_with_what_changed(signed_in: Client, stored: StoredTemplate) -> None:
    write(signed_in, stored, "change_strip", strip="kick", name="Big kick")
    answer = write(signed_in, stored, "change_strip", base=1, strip="kick", name="Small kick")
    assert answer.status_code == 409
    assert "Kick: name Big kick" in answer.content.decode()
    assert now(stored).strips[0].name == "Big kick"
    for base in ("", "x", "-1", "99999999999"):
        assert write(signed_in, stored, "undo", base=base).status_code == 409


def test_how_the_map_looks_is_no_edit_and_needs_no_version(
    signed_in: Client, stored: StoredTemplate, made: Template
) -> None:
    answer = write(signed_in, stored, "fold", base=0, section="drums")
    assert "fold:drums" in answer.content.decode()
    assert "fold:drums" in signed_in.get(f"/t/{stored.pk}/map/").content.decode()
    assert "fold:drums" not in write(signed_in, stored, "fold", section="none").content.decode()
    assert write(signed_in, stored, "tidy").status_code == 200
    stored.refresh_from_db()
    assert (stored.version, now(stored)) == (1, made)


@pytest.mark.django_db(transaction=True)
def test_two_at_once_lose_nothing_one_is_told(owner, made: Template) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, made)
    done: list[str] = []
    start = threading.Barrier(4)

    def work(number: int) -> None:
        start.wait()
        step = EditStep("change_strip", {"strip": "kick", "changes": {"fader_db": -float(number + 1)}})
        try:
            services.edit(stored.pk, owner, 1, f"edit {number}", [step])
            done.append("written")
        except services.StaleVersionError:
            done.append("told")
        finally:
            connection.close()

    threads = [threading.Thread(target=work, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(done) == ["told", "told", "told", "written"]
    stored.refresh_from_db()
    assert (stored.version, JournalEntry.objects.count()) == (2, 1)


def test_inserts_are_added_changed_keyed_moved_and_removed_in_the_margin(
    signed_in: Client, stored: StoredTemplate
) -> None:
    for what, values in (
        ("add_insert", {"strip": "bus", "type": "compressor", "name": "Glue"}),
        ("add_insert", {"strip": "bus", "type": "eq", "name": "Tone"}),
        (
            "change_insert",
            {"insert": "bus-glue", "latency_samples": "1.3 ms", "wet": "40 %", "key": "external", "ratio": "4:1"},
        ),
        ("nudge_insert", {"insert": "bus-tone", "where": "up"}),
        ("connect", {"from": "kick", "to": "bus", "kind": "key", "to_insert": "bus-glue"}),
    ):
        answer = write(signed_in, stored, what, **values)
        assert answer.status_code == 200, answer.content.decode()
    bus = next(strip for strip in now(stored).strips if strip.id == "bus")
    assert [insert.id for insert in bus.inserts] == ["bus-tone", "bus-glue"]
    glue = bus.inserts[1]
    assert (glue.latency_samples, glue.wet, glue.key, glue.ratio) == (62, 0.4, "external", 4.0)
    assert write(signed_in, stored, "change_insert", insert="bus-glue", wet="140 %").status_code == 422
    assert write(signed_in, stored, "remove_inserts", inserts="bus-glue").status_code == 200
    assert [route.kind for route in now(stored).routes] == ["feed", "feed"]  # the key went with it


class TestMatters:
    """Findings of one cause are one issue, with a fix and a waiver for all of them."""

    MADE = template(
        [{"id": "kick", "name": "Kick", "kind": "audio"}, {"id": "hat", "name": "Hat", "kind": "audio"},
         {"id": "bus", "name": "Bus", "kind": "bus", "mute": True}, {"id": "out", "name": "Out", "kind": "output"}],
        ["kick>bus", "hat>bus", "bus>out"],
    )  # fmt: skip

    @pytest.fixture
    def muted(self, owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
        return services.store(owner, self.MADE)

    def matter(self, muted: StoredTemplate) -> Matter:
        return next(one for one in workspace(muted).matters if one.code == "route.blocked")

    @pytest.mark.parametrize("place", ["map", "findings"])
    def test_they_stand_under_the_matter_s_sentence(self, signed_in: Client, muted: StoredTemplate, place: str) -> None:
        key = self.matter(muted).fingerprint
        page = signed_in.get(f"/t/{muted.pk}/{place}/").content.decode()
        assert "2 sources are silent: Bus is muted" in page
        assert page.count(f'id="m-{key}"') == 1
        more = signed_in.get(f"/t/{muted.pk}/matter/{key}/").content.decode()
        assert "Kick is silent: Bus is muted" in more
        assert "About this finding" in more

    def test_its_remedy_is_one_edit(self, signed_in: Client, muted: StoredTemplate) -> None:
        matter = self.matter(muted)
        assert write(signed_in, muted, f"remedy/{matter.fingerprint}/{matter.remedies[0].key}").status_code == 200
        assert not now(muted).strips[2].mute
        assert JournalEntry.objects.get().label == "2 sources are silent: Bus is muted: Unmute Bus"
        assert (
            write(signed_in, muted, f"remedy/{matter.fingerprint}/{matter.remedies[0].key}").status_code == 422
        )  # it is gone

    def test_what_follows_is_looked_for_when_nobody_waits(self, signed_in: Client, muted: StoredTemplate) -> None:
        follow, key = f"/t/{muted.pk}/write/follow/", self.matter(muted).fingerprint

        def more() -> str:
            return signed_in.get(f"/t/{muted.pk}/matter/{key}/").content.decode()

        assert f'data-poll="{follow}"' in signed_in.get(f"/t/{muted.pk}/map/").content.decode()
        assert "Consequences" not in more()
        assert signed_in.post(follow, {"base": 0}).status_code == 204  # of a page with another state
        shown = "matters:0 margin-head:0"
        answer = signed_in.post(follow, {"base": 1, "place": "map", "shown": shown}).content.decode()
        assert "Fixes 3" in answer  # what its remedy would do
        for asked in ({"chosen_strip": "kick", "shown": shown}, {"shown": ""}):  # the margin shows something else now
            assert 'id="panel"' not in signed_in.post(follow, {"base": 1, "place": "map", **asked}).content.decode()
        assert "data-poll" not in answer
        assert "Out gets no signal: Bus is muted" in more().partition("Consequences")[2]
        write(signed_in, muted, "change_strip", strip="kick", fader_db="-3")
        assert "Consequences" not in more()  # another state, not looked through yet

    def test_one_waiver_covers_it_and_says_how_many(self, signed_in: Client, muted: StoredTemplate) -> None:
        matter = self.matter(muted)
        values = {"fingerprint": matter.pattern, "reason": "only in the second act", "by": "I. Strand"}
        assert write(signed_in, muted, "waive", **values).status_code == 200
        muted.refresh_from_db()
        assert workspace(muted).audit.summary["waived"] == 2
        assert "×2" in signed_in.get(f"/t/{muted.pk}/findings/").content.decode().partition("Waived")[2]
        assert write(signed_in, muted, "remove_waivers", fingerprints=matter.pattern).status_code == 200
        muted.refresh_from_db()
        assert workspace(muted).audit.summary["waived"] == 0
