"""Stems, rules, waivers, hygiene and inventories over the web."""

from __future__ import annotations

import base64
import re
from typing import Any

import pytest
from django.test import Client
from msgspec.structs import replace

from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from tests.web.test_writes import now, write
from web.editor.hygiene import hygiene_place
from web.editor.places.stems import ledger_place
from web.shelf import services
from web.shelf.models import JournalEntry, KeptInventory, StoredTemplate
from web.shelf.workspace import Workspace, workspace

GLUE = {"id": "glue", "name": "Glue", "type": "compressor", "maker": "Tern Audio", "version": "2.1"}
MADE = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio", "section": "drums"},
        {"id": "bass", "name": "Bass", "kind": "audio"},
        {"id": "lost", "name": "Whistle", "kind": "audio"},
        {"id": "click", "name": "Click", "kind": "audio", "tags": ["click"]},
        {"id": "bus", "name": "Drums", "kind": "bus", "section": "drums", "inserts": [GLUE]},
        {"id": "low", "name": "Low", "kind": "bus"},
        {"id": "hall", "name": "Hall", "kind": "return", "inserts": [{"id": "verb", "type": "reverb"}]},
        {"id": "mix", "name": "Mix", "kind": "master"},
        {"id": "phones", "name": "Phones", "kind": "output"},
    ],
    ["kick>bus", "bass>low", "bus>mix", "low>mix", "lost>mix", "send kick>hall -6", "send bass>hall -9", "hall>low", "click>phones"],
    sections=[{"id": "drums", "name": "Drums", "bus": "bus", "colour": "#8a4b2d"}, {"id": "empty", "name": "Empty"}],
    stems=[
        {"id": "st-d", "name": "Drums", "strip": "bus", "layout": "mono"}, {"id": "st-l", "name": "Low", "strip": "low", "layout": "mono"},
        {"id": "mx", "name": "Mix", "role": "mix", "strip": "mix", "layout": "mono"},
        {"id": "sum", "name": "All", "role": "composite", "of": ["st-d", "st-l"], "layout": "mono"},
    ],
    rules=[{"id": "dry", "name": "Bass is dry", "kind": "isolated", "sources": ["strip:bass"], "to": ["strip:hall"]}],
    waivers=[{"fingerprint": "gone", "reason": "was meant", "by": "M. Quay"}],
)  # fmt: skip


@pytest.fixture
def mine(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, MADE)


def shown(set_name: str = "main", only: str = "", made: Template = MADE) -> dict[str, Any]:
    return ledger_place(Workspace(made), set_name, only)


def test_the_ledger_stands_by_section_with_levels_and_marks() -> None:
    rows = {row.id: row for band in shown()["bands"] for row in band["rows"]}
    assert [band["name"] for band in shown()["bands"]] == ["Drums", "No section"]
    kick = {cell.stem.id: (cell.reached, cell.level and round(cell.level, 2), cell.mark) for cell in rows["kick"].cells}
    assert kick == {
        "st-d": (True, 0.0, ""), "st-l": (True, -6.0, "warning"), "mx": (True, 0.97, ""), "sum": (True, 0.97, ""),
    }  # fmt: skip
    assert rows["kick"].notes == ["by Hall"]
    assert [(cell.mark, cell.words) for cell in rows["lost"].cells if cell.mark] == [("blocker", "in no stem")]
    assert rows["click"].notes == ["excluded"]
    assert [row.id for band in shown(only="1")["bands"] for row in band["rows"]] == ["kick", "lost"]


def test_of_many_sources_only_one_section_is_open() -> None:
    large = Workspace(generate(600))
    closed, opened = (ledger_place(large, "main", "", section)["bands"] for section in ("", "s3"))
    assert all(band["is_folded"] for band in closed if band["count"])
    assert [band["id"] for band in opened if band["rows"]] == ["s3"]
    assert sum(band["count"] for band in closed) == len(large.analysis.sources)
    assert {strip.kind for strip in ledger_place(large, "main", "", "")["carriers"]} == {
        "bus",
        "return",
        "master",
        "print",
        "output",
    }


def test_rules_say_who_breaks_them_and_suggestions_are_not_said_twice() -> None:
    ((rule, sentence, broken),) = shown()["rules"]
    assert (rule.id, sentence) == ("dry", "Bass must not reach Hall")
    assert [finding.evidence[1] for finding in broken] == ["Bass → Hall"]
    suggested = [rule.id for rule, *_rest in shown()["suggested"]]
    assert suggested == ["click-in-no-stem"]
    rule = next(rule for rule, *_rest in shown()["suggested"])
    assert [one.id for one, *_rest in shown(made=replace(MADE, rules=(rule,)))["suggested"]] == []


TABLE: list[tuple[str, dict[str, str], str]] = [
    ("add_stem", {"name": "Room", "role": "stem", "strip": "hall", "set": "main"}, "Add stem Room"),
    ("change_stem", {"stem": "st-d", "tap": "pre-fader", "returns": "all"}, "Drums: returns all, tap pre-fader"),
    ("remove_stems", {"stems": "st-l"}, "Remove Low"),
    ("add_rule", {"name": "Clean", "kind": "avoids", "sources": "*", "but_not": "strip:kick", "through": "strip:hall", "to": ""}, "Rule: Clean"),
    ("change_rule", {"rule": "dry", "channels": "C 2"}, "Bass is dry: channels C 2"),
    ("remove_rules", {"rules": "dry"}, "Remove rule Bass is dry"),
    ("waive", {"fingerprint": "abc", "reason": "meant so", "by": "I. Strand", "message": "x is y"}, "Waive: x is y"),
    ("remove_waivers", {"fingerprints": "gone"}, "Remove waiver"),
]  # fmt: skip


@pytest.mark.parametrize(("what", "values", "label"), TABLE)
def test_an_edit_is_journalled_and_undone(
    signed_in: Client, mine: StoredTemplate, what: str, values: dict[str, str], label: str
) -> None:
    answer = write(signed_in, mine, what, place="stems", **values)
    assert answer.status_code == 200, answer.content.decode()
    assert JournalEntry.objects.get().label == label
    assert now(mine) != MADE
    assert write(signed_in, mine, "undo").status_code == 200
    assert now(mine) == MADE


@pytest.mark.parametrize(
    ("what", "values", "words"),
    [
        ("change_stem", {"stem": "no", "tap": "pre-fader"}, "stem no does not exist"),
        ("change_stem", {"stem": "st-d", "tap": "somewhere"}, "tap"),
        ("change_stem", {"stem": "st-d", "strip": ""}, "the field strip is missing"),
        ("add_rule", {"name": "x", "kind": "avoids", "sources": "colour:red"}, "is not strip:ID"),
        ("add_rule", {"name": "x", "kind": "hopes", "sources": "*"}, "kind"),
        ("waive", {"fingerprint": "abc", "reason": " ", "by": "M. Quay"}, "a waiver needs a reason and a name"),
        ("remove_waivers", {"fingerprints": "never"}, "no waiver of never exists"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_stored(
    signed_in: Client, mine: StoredTemplate, what: str, values: dict[str, str], words: str
) -> None:
    answer = write(signed_in, mine, what, **values)
    assert (answer.status_code, words in answer.content.decode()) == (422, True), answer.content.decode()
    assert now(mine) == MADE


def test_a_waived_finding_counts_apart_and_its_waiver_lapses_with_what_it_was_about(
    signed_in: Client, mine: StoredTemplate
) -> None:
    single = next(matter for matter in Workspace(MADE).matters if len(matter.findings) == 1 and matter.own[0].strips)
    more = signed_in.get(f"/t/{mine.pk}/matter/{single.fingerprint}/").content.decode()
    fingerprint = re.search(r'name="fingerprint" value="([0-9a-f]{16})"', more)[1]  # type: ignore[index]
    message = next(f.message for f in Workspace(MADE).audit.findings if f.fingerprint == fingerprint)
    write(signed_in, mine, "waive", fingerprint=fingerprint, reason="it is meant so", by="I. Strand")
    page = signed_in.get(f"/t/{mine.pk}/findings/").content.decode()
    assert "“it is meant so”" in page
    space = Workspace(now(mine))
    assert [f.message for f in space.audit.findings if f.waived] == [message]
    strip = next(f for f in space.audit.findings if f.waived).strips[0]
    write(signed_in, mine, "remove_strips", strips=strip)
    stale = [f.message for f in Workspace(now(mine)).audit.findings if f.code == "waiver.stale"]
    assert any("it is meant so" in words for words in stale)


def test_one_return_for_each_stem_is_one_remedy(signed_in: Client, mine: StoredTemplate) -> None:
    leak = next(f for f in Workspace(MADE).audit.findings if f.code == "stem.leak")
    assert [remedy.label for remedy in leak.remedies] == ["Add one return per stem"]
    assert (
        signed_in.post(f"/t/{mine.pk}/write/remedy/{leak.fingerprint}/{leak.remedies[0].key}/", {"base": 1}).status_code
        == 200
    )
    assert "stem.leak" not in {f.code for f in Workspace(now(mine)).audit.findings}
    assert JournalEntry.objects.count() == 1


def test_hygiene_gathers_names_colours_sections_and_what_nothing_uses() -> None:
    made = template(
        [{"id": "a", "name": "Audio 3", "kind": "bus"}, {"id": "b", "name": "Tone", "kind": "bus"}, {"id": "c", "name": "tone", "kind": "bus"}, "a:s spare"],
        ["b>c"],  # a channel may bear the name of its sound
        sections=[{"id": "e", "name": "Empty"}],
    )  # fmt: skip
    space = Workspace(made)
    found = hygiene_place(space, {})
    assert [words for words, _ones in found["hygiene"]] == ["Default names", "Empty sections"]
    assert found["unused_ids"] == "a"


def test_inventories_are_brought_taken_checked_exported_and_forgotten(signed_in: Client, mine: StoredTemplate) -> None:
    url = f"/t/{mine.pk}/write/"
    refused = signed_in.post(
        url + "bring-inventory/", {"name": "Studio", "text": "what,name\ndoor,x\n", "place": "setup"}
    )
    assert (refused.status_code, "row 2" in refused.content.decode()) == (422, True)
    assert signed_in.post(url + "bring-inventory/", {"name": "", "text": "name\nx\n"}).status_code == 422
    csv = "maker,name,version\nTern Audio,Glue,2.0\n"
    page = signed_in.post(url + "bring-inventory/", {"name": "Studio", "text": csv, "place": "setup"})
    assert "Studio has Tern Audio Glue 2.0; 2.1 is required" in page.content.decode()
    kept = KeptInventory.objects.get()
    exported = signed_in.get(f"/t/{mine.pk}/inventory/{kept.pk}.csv")
    assert exported.content.decode() == (
        "what,maker,name,version,channel,latency_samples,rate_hz\r\nplug-in,Tern Audio,Glue,2.0,,,\r\n"
    )
    listed = base64.b64encode(b"maker,name,latency_samples\nTern Audio,Glue,77\n").decode()
    signed_in.post(url + "bring-inventory/", {"name": "List", "packed": listed, "place": "setup"})
    kept_list = KeptInventory.objects.get(name="List")
    assert "List lists 77" in signed_in.get(f"/t/{mine.pk}/setup/?of={kept_list.pk}").content.decode()
    signed_in.post(url + "take-latencies/", {"of": kept_list.pk, "base": mine.version, "place": "setup"})
    mine.refresh_from_db()
    glues = [i for s in workspace(mine).template.strips for i in s.inserts if i.name == "Glue"]
    assert {insert.latency_samples for insert in glues} == {77}
    kept_list.delete()
    assert signed_in.post(url + "take-inventory/", {"machine": "none"}).status_code == 422
    page = signed_in.post(url + "take-inventory/", {"machine": "main", "place": "setup"}).content.decode()
    assert KeptInventory.objects.count() == 2
    assert "All plug-ins of the template are listed" in page
    signed_in.post(url + "forget-inventory/", {"of": kept.pk})
    assert KeptInventory.objects.get().name == "Main computer"
