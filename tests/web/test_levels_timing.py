"""Levels and Timing: their pages, what-if steps that store nothing, trims that preserve the balance."""

from __future__ import annotations

import html
import re

import pytest
from django.contrib.auth.models import User
from django.test import Client

from lattice.analysis import Analysis
from lattice.gain_staging.chain import level_of
from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from web.editor.places.base import PLACES
from web.editor.places.levels import levels_place
from web.editor.places.timing import timing_place
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import Workspace, workspace


def source(name: str, peak: float) -> dict:
    return {
        "id": name,
        "name": name.capitalize(),
        "kind": "audio",
        "source": {"peak_dbfs": peak, "rms_dbfs": peak - 12},
    }


LATE = {"id": "late", "name": "Long eq", "type": "eq", "latency_samples": 480}
MADE = template(
    [source("kick", -3.0), source("snare", -9.0), {"id": "bus", "name": "Drums", "kind": "bus", "inserts": [LATE]}, {"id": "out", "name": "Out", "kind": "output"}],
    ["kick>bus", "snare>bus", "bus>out"],
)  # fmt: skip


@pytest.fixture
def drums(owner: User) -> StoredTemplate:
    return services.store(owner, MADE)


def likely(made: Template, strip: str) -> float:
    levels = Analysis(made).levels
    stage = levels.post[levels.graph.index[strip]]
    assert stage is not None
    return level_of(stage.levels.q2, stage.likely_gain)


def test_the_way_of_a_source_and_what_the_sum_takes_in() -> None:
    shown = levels_place(Workspace(MADE), "snare", "out", "")
    assert (shown["start"].id, shown["target"].id, shown["sum"].id) == ("snare", "out", "bus")
    assert [row["likely"] for row in shown["target_channels"]["rows"]] == [pytest.approx(-2.03, abs=0.005)]
    columns = [place["column"] for place in shown["chart"]["columns"]]
    assert [(column.name, column.what) for column in columns] == [
        ("Snare", "source"),
        ("Drums", "sum of 2, feed from Snare"),
        ("Out", "in"),
    ]
    assert columns[0].likely_db == columns[1].own_db == pytest.approx(-9.0)
    assert columns[1].likely_db == pytest.approx(-2.03, abs=0.005)  # −3 and −9 in power
    assert [(row["strip"].id, round(row["percent"])) for row in shown["inflow"]] == [("kick", 80), ("snare", 20)]


def test_what_is_asked_for_and_is_not_there_falls_back_on_the_loudest() -> None:
    shown = levels_place(Workspace(MADE), "nobody", "nowhere", "nothing")
    assert (shown["start"].id, shown["target"].id) == ("kick", "out")
    assert levels_place(Workspace(template(["a:x"])), "", "", "") == {"ends": []}


def test_any_strip_with_signal_can_be_the_end() -> None:
    shown = levels_place(Workspace(MADE), "snare", "bus", "")
    assert (shown["start"].id, shown["target"].id) == ("snare", "bus")
    assert [strip.id for strip in shown["end_choices"]] == ["out", "bus"]


def test_timing_shows_lengths_waits_and_what_would_be_won() -> None:
    shown = timing_place(Workspace(MADE))
    assert (shown["total"], shown["total_ms"]) == (480, 10.0)
    assert [(gain["name"], gain["then"], gain["won"]) for gain in shown["gains"]] == [("Long eq", 0, 480)]
    (drums_row,) = [row for row in shown["rows"] if row["href"].endswith("=bus")]
    assert [bar["kind"] for bar in drums_row["bars"]] == ["path"]
    assert timing_place(Workspace(template(["a:x"])))["total"] is None


def test_late_keys_and_the_comb_of_the_demo_are_drawn() -> None:
    shown = timing_place(Workspace(night_ferry.in_work()))
    assert shown["comb"]["skew"] == 146
    assert shown["comb"]["notch"] == pytest.approx(48000 / (2 * 146))
    assert "key 96 samples late" in [mark["words"] for row in shown["rows"] for mark in row["marks"]]


def test_a_live_input_is_timed_at_four_buffers() -> None:
    made = template(["n:voice", {"id": "out", "kind": "output"}], ["voice>out"], profile={"monitor_limit_ms": 10.0})
    (live,) = timing_place(Workspace(made))["live"]
    assert [(bar["size"], round(bar["ms"], 3), bar["over"]) for bar in live["bars"]] == [
        (64, 2.667, False), (128, 5.333, False), (256, 10.667, True), (512, 21.333, True),
    ]  # fmt: skip


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize(
    "made",
    [MADE, night_ferry.in_work(), template([]), template(["b:x", "b:y"], ["x>y", "y>x"])],
    ids=["drums", "ferry", "empty", "loop"],
)
def test_a_place_is_served_for_any_template(signed_in: Client, owner: User, place: str, made: Template) -> None:
    stored = services.store(owner, made)
    page = signed_in.get(f"/t/{stored.pk}/{place}/").content.decode()
    assert not re.search(r"\b(nan|inf)\b", page, re.IGNORECASE)  # as a word: the token of a form may hold the letters
    assert len(re.findall(r"<h1[ >]", page)) == 1


def preview(client: Client, stored: StoredTemplate, what: str, **values: str) -> str:
    answer = client.post(f"/t/{stored.pk}/panel/preview/{what}/", {"place": "levels", **values})
    return f"{answer.status_code} {answer.content.decode()}"


@pytest.mark.parametrize(
    ("what", "values", "words"),
    [
        ("change_strip", {"strip": "kick", "fader_db": "-9"}, ("−2.0", "−7.2", "−5.2\u2009dB")),
        ("change_route", {"route": "r1", "gain_db": "off"}, ("−2.0", "−9.0", "−7.0\u2009dB")),
        ("change_strip", {"strip": "kick", "fader_db": "+6 dB"}, ("2.0", "New findings")),
    ],
)
def test_a_what_if_step_shows_all_figures_and_stores_nothing_until_it_is_kept(
    signed_in: Client, drums: StoredTemplate, what: str, values: dict, words: tuple[str, ...]
) -> None:
    page = preview(signed_in, drums, what, **values)
    assert page.startswith("200")
    assert all(word in page for word in words)
    assert not JournalEntry.objects.exists()
    signed = re.search(r'"planned": "([^"]+)"', page.replace("&quot;", '"'))
    assert signed
    kept = signed_in.post(f"/t/{drums.pk}/write/planned/", {"base": 1, "planned": signed[1], "place": "levels"})
    assert kept.status_code == 200
    assert JournalEntry.objects.count() == 1
    assert workspace(StoredTemplate.objects.get()).template != MADE


@pytest.mark.parametrize(
    ("what", "values", "words"),
    [
        ("change_strip", {"strip": "kick", "fader_db": "loud"}, "loud"),
        ("change_route", {"gain_db": "x", "route": "r1"}, "x"),
        ("change_route", {"route": "no", "gain_db": "0"}, "no"),
    ],
)
def test_what_cannot_be_read_is_said_and_changes_nothing(
    signed_in: Client, drums: StoredTemplate, what: str, values: dict, words: str
) -> None:
    page = preview(signed_in, drums, what, **values)
    assert page.startswith("422")
    assert words in page


@pytest.mark.parametrize("room", ["6", "12 dB", "0"])
def test_a_trim_leaves_the_room_and_keeps_the_balance_in_one_edit(
    signed_in: Client, drums: StoredTemplate, room: str
) -> None:
    page = preview(signed_in, drums, "trim", strip="bus", room_db=room)
    signed = re.search(r'"planned": "([^"]+)"', page.replace("&quot;", '"'))
    assert signed
    signed_in.post(f"/t/{drums.pk}/write/planned/", {"base": 1, "planned": signed[1]})
    trimmed = workspace(StoredTemplate.objects.get()).template
    wanted = float(room.split(maxsplit=1)[0])
    assert wanted <= -likely(trimmed, "bus") < wanted + 0.11
    gains = {route.id: route.gain_db for route in trimmed.routes}
    assert gains["r1"] == gains["r2"]
    assert JournalEntry.objects.count() == 1


def test_awake_stands_beside_the_audit_as_it_is(signed_in: Client, owner: User) -> None:
    asleep = {"id": "boost", "name": "Boost", "type": "gain", "gain_db": 9.0, "state": "bypassed", "latency_samples": 0}
    late = {"id": "late", "name": "Long eq", "type": "eq", "state": "unloaded", "latency_samples": 256}
    made = template(
        [source("kick", -6.0) | {"inserts": [asleep, late]}, {"id": "out", "name": "Out", "kind": "output"}],
        ["kick>out"],
    )
    stored = services.store(owner, made)
    page = " ".join(signed_in.get(f"/t/{stored.pk}/findings/?awake=1").content.decode().split())
    for words in (
        "Boost on Kick",
        ">0</span> → <span",
        ">256</span>",
        "Out clips: likely peak +3.0 dBFS",
        "−6.0",
        "3.0",
    ):
        assert words in page
    assert "With all inserts on" not in signed_in.get(f"/t/{stored.pk}/findings/").content.decode()


def test_a_profile_shows_where_its_figures_come_from_as_long_as_they_are_its_own(
    signed_in: Client, owner: User
) -> None:
    stored = services.store(owner, MADE)
    signed_in.post(f"/t/{stored.pk}/write/choose_profile/", {"base": 1, "preset": "ebu-r128"})
    page = signed_in.get(f"/t/{stored.pk}/setup/").content.decode()
    assert "EBU R 128: maximum true peak −1 dBTP" in page
    signed_in.post(f"/t/{stored.pk}/write/change_profile/", {"base": 2, "true_peak_dbtp": "-3"})
    assert "maximum true peak" not in signed_in.get(f"/t/{stored.pk}/setup/").content.decode()
    assert workspace(StoredTemplate.objects.get()).template.profile.true_peak_dbtp == -3


CHAIN = template(
    [
        {"id": "kit", "name": "Kit", "kind": "instrument", "outlets": [{"id": "a", "layout": "mono"}, {"id": "b", "layout": "mono", "source": {"peak_dbfs": -4.0, "rms_dbfs": -10.0}}]},
        {
            "id": "bus", "name": "Drums", "kind": "bus", "fader_db": -2.0,
            "inserts": [
                {"id": "comp", "name": "Glue", "type": "compressor", "threshold_db": -20.0, "ratio": 4.0},
                {"id": "spare-eq", "name": "Tilt", "type": "eq", "gain_db": 3.0, "state": "bypassed"},
                {"id": "top", "name": "Ceiling", "type": "limiter", "ceiling_db": -7.0},
            ],
        },
        {"id": "out", "name": "Out", "kind": "output"},
    ],
    [{"kind": "feed", "from": "kit", "from_outlet": "b", "to": "bus", "gain_db": 1.0}, "bus>out"],
)  # fmt: skip


def test_an_outlet_step_by_step_with_the_reduction_so_far() -> None:
    shown = levels_place(Workspace(CHAIN), "kit/b", "out", "")
    assert [one.id for one in shown["sources"]] == ["kit/b"]
    steps = [
        (step.what, step.gain_db and round(step.gain_db, 2), round(step.reduced_db, 2)) for step in shown["level_steps"]
    ]
    # E at the compressor −10 + 1 = −9: (−9 + 20)·(1 − 1/4) = 8.25 dB; P −3 is pushed 4 dB over the ceiling of −7
    assert steps == [
        ("outlet", None, 0.0),
        ("in, feed 1.0", 1.0, 0.0),
        ("compressor −8.2", 0.0, 8.25),
        ("Tilt, bypassed", 0.0, 8.25),
        ("limiter, pushed 4.0", -4.0, 12.25),
        ("fader −2.0", -2.0, 12.25),
        ("in", 0.0, 12.25),
        ("fader 0.0", 0.0, 12.25),
    ]  # fmt: skip
    assert [step.control.get("field", "state") for step in shown["level_steps"]][:3] == [
        "peak_dbfs",
        "gain_db",
        "state",
    ]


def test_many_strips_are_folded_by_section_but_for_the_critical_path_and_the_open_one() -> None:
    space = Workspace(generate(300))
    closed, opened = timing_place(space), timing_place(space, "s3")
    folded = [row for row in closed["rows"] if row["href"].startswith("?")]
    assert len(folded) == len(space.template.sections)
    assert {row["href"] for row in closed["rows"]} - {row["href"] for row in opened["rows"]} == {"?section=s3"}
    takes_time = {step["strip"].id for step in closed["steps"]}
    assert takes_time <= {row["href"].rpartition("=")[2] for row in closed["rows"]}
    assert opened["opened"].id == "s3"


def test_a_profile_is_kept_taken_by_another_template_and_forgotten(
    signed_in: Client, owner: User, stored: StoredTemplate
) -> None:
    signed_in.post(f"/t/{stored.pk}/write/change_profile/", {"base": 1, "name": "Dome", "true_peak_dbtp": "-3"})
    kept = signed_in.post(f"/t/{stored.pk}/write/keep-profile/", {"place": "setup"}).content.decode()
    assert "Delete Dome" in kept
    other = services.store(owner, MADE)
    page = signed_in.get(f"/t/{other.pk}/setup/").content.decode()
    figures = html.unescape(re.search(r'<option value="({.*?})">Dome', page)[1])  # type: ignore[index]
    assert signed_in.post(f"/t/{other.pk}/write/choose_profile/", {"base": 1, "preset": figures}).status_code == 200
    assert workspace(StoredTemplate.objects.get(pk=other.pk)).template.profile.true_peak_dbtp == -3.0
    refused = signed_in.post(f"/t/{other.pk}/write/choose_profile/", {"base": 2, "preset": '{"loudness_lufs": "loud"}'})
    assert (refused.status_code, "not fields of a profile" in refused.content.decode()) == (422, True)
    signed_in.post(f"/t/{stored.pk}/write/forget-profile/", {"name": "Dome"})
    assert "Dome</option>" not in signed_in.get(f"/t/{other.pk}/setup/").content.decode()
