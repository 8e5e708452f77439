"""The bench in the web: kits, prints sent and read, the verdict and its answers, tones, loudness, the gate."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from lattice.bench.faults import built
from lattice.bench.stand_in import print_files
from tests.core.bench.test_prints import ROOM
from web.bench import services
from web.bench.models import Programme, Reading, StoredKit, ToneRun
from web.bench.tasks import read_prints_of
from web.people.roles import Role
from web.revisions import services as revisions
from web.revisions.gate import gate
from web.revisions.pack import make_pack
from web.shelf import services as shelf
from web.shelf.models import JournalEntry, Share, StoredTemplate
from web.shelf.workspace import workspace

pytestmark = pytest.mark.usefixtures("at_once")


@pytest.fixture
def room(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return shelf.store(owner, ROOM)


@pytest.fixture
def kit(room: StoredTemplate) -> StoredKit:
    return services.make_kit(room, (), 500.0)


def seen(client: Client, address: str, status: int = 200) -> str:
    answer = client.get(address)
    assert answer.status_code == status
    return " ".join(answer.content.decode().replace("&#x27;", "'").split())


def sent(client: Client, address: str, path: Path, name: str = "") -> object:
    return client.post(address, {"file": SimpleUploadedFile(name or path.name, path.read_bytes())})


def read_with(client: Client, kit: StoredKit, *faults: str) -> Reading:
    answer = client.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/stand-in/", {"faults": " ".join(faults)})
    assert answer.status_code == 302
    return Reading.objects.get(pk=int(answer["Location"].rstrip("/").rsplit("/", 1)[1]))


def test_the_empty_bench_says_what_to_do_first(signed_in: Client, room: StoredTemplate) -> None:
    page = seen(signed_in, f"/t/{room.pk}/bench/")
    assert "A pilot kit has a test signal" in page
    assert "Create pilot kit" in page
    assert "No stem of this template has a print strip" in seen(
        signed_in, f"/t/{shelf.store(room.owner, ROOM.__class__(name='x')).pk}/bench/"
    )


def test_a_kit_is_made_and_handed_out(signed_in: Client, room: StoredTemplate) -> None:
    assert (
        signed_in.post(f"/t/{room.pk}/bench/kits/make/", {"sources": "strip:kick", "tail_ms": "250"}).status_code == 302
    )
    kit = StoredKit.objects.get()
    assert kit.slots == 1
    data = b"".join(signed_in.get(f"/t/{room.pk}/bench/kits/{kit.pk}/zip/").streaming_content)  # type: ignore[attr-defined]
    assert "kit.json" in zipfile.ZipFile(io.BytesIO(data)).namelist()
    assert signed_in.get(f"/t/{room.pk}/bench/kits/{kit.pk}/cue/").content.startswith(b"%PDF")


@pytest.mark.parametrize(
    ("posted", "words"),
    [
        ({"sources": "strip:mix"}, "no active source selected"),
        ({"sources": "Nobody"}, "for: “Nobody” is not the name of a strip or section, or “all”"),
        ({"tail_ms": "x"}, "is not a tail"),
        ({"tail_ms": "99999"}, "is not a tail"),
    ],
)
def test_a_kit_that_cannot_be_made_is_said(
    signed_in: Client, room: StoredTemplate, posted: dict[str, str], words: str
) -> None:
    answer = signed_in.post(f"/t/{room.pk}/bench/kits/make/", posted)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not StoredKit.objects.exists()


def test_prints_are_sent_read_and_their_files_go(signed_in: Client, kit: StoredKit, tmp_path: Path) -> None:
    pk = kit.template_id
    drums, mix = print_files(ROOM, services.kit_in(kit), built(ROOM, ["fader:drums:-2"]), tmp_path / "made", "16")
    mix = mix.rename(mix.with_name("What.wav"))
    place = signed_in.post(f"/t/{pk}/bench/kits/{kit.pk}/prints/")["Location"]
    assert "Select the prints" in seen(signed_in, place)
    assert signed_in.post(f"{place}read/").status_code == 422
    for path in (drums, mix):
        assert sent(signed_in, f"{place}file/", path).status_code == 200  # type: ignore[attr-defined]
    page = seen(signed_in, place)
    assert "its name matches no stem" in page
    assert "no file yet for The mix" in page
    reading = Reading.objects.get()
    assert len(reading.files) == 2
    signed_in.post(f"{place}read/", {"of-What.wav": "st-mix", "of-Drums.wav": "st-drums"})
    reading.refresh_from_db()
    assert (reading.state, reading.content["summary"]["matters"]) == (Reading.DONE, 1)
    assert not reading.folder.exists()
    page = seen(signed_in, place)
    for words in (
        "Look at",
        "kick is 2.0 dB quieter in the print of Drums than mapped",
        "Update map: drums: fader at −2.0 dB",
    ):
        assert words in page, words
    assert sent(signed_in, f"{place}file/", drums).status_code == 422  # type: ignore[attr-defined]
    plain = signed_in.get(f"{place}json/").json()  # type: ignore[attr-defined]
    assert plain["format"] == "intact-lattice.reading"
    assert signed_in.post(f"{place}forget/")["Location"] == f"/t/{pk}/bench/"
    assert not Reading.objects.exists()


def test_files_stay_where_they_are_wanted_and_there_is_a_quota(
    signed_in: Client, kit: StoredKit, second: User, tmp_path: Path, settings
) -> None:  # type: ignore[no-untyped-def]
    drums, _mix = print_files(ROOM, services.kit_in(kit), built(ROOM, []), tmp_path / "made", "16")
    place = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    sent(signed_in, f"{place}file/", drums)
    settings.PRINTS_QUOTA = drums.stat().st_size + 10
    answer = sent(signed_in, f"{place}file/", drums, "Second.wav")
    assert answer.status_code == 422  # type: ignore[attr-defined]
    assert "not enough space" in answer.content.decode()  # type: ignore[attr-defined]
    Share.objects.create(template=kit.template, user=second, role=Role.EDITOR)
    other = Client()
    other.force_login(second)
    theirs = other.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    for status in (200, 422):
        answer = sent(other, f"{theirs}file/", drums, f"{status}.wav")
        assert answer.status_code == status, "it counts on who sends them, on another's template too"  # type: ignore[attr-defined]
    Reading.objects.get(by=second).delete()
    signed_in.post(f"{place}read/", {"keep": "1"})
    reading = Reading.objects.get()
    assert [path.name for path in reading.files] == ["Drums.wav"]
    assert "The mix was not read: it has no file" in seen(signed_in, place)
    services.begin_reading(kit, second).delete()
    reading.delete()
    assert not reading.folder.exists()


def test_a_full_disk_is_told_and_nothing_half_stored(
    signed_in: Client, kit: StoredKit, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    place = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    path = tmp_path / "Drums.wav"
    path.write_bytes(b"x" * 1000)

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "replace", full)
    answer = sent(signed_in, f"{place}file/", path)
    assert answer.status_code == 422  # type: ignore[attr-defined]
    assert answer.content.decode() == "Drums.wav was not saved: No space left on device"  # type: ignore[attr-defined]
    assert list(Reading.objects.get().folder.iterdir()) == []


def test_a_file_that_is_no_print_is_said_in_the_verdict(signed_in: Client, kit: StoredKit, tmp_path: Path) -> None:
    place = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    path = tmp_path / "Drums.wav"
    path.write_bytes(b"no sound at all")
    sent(signed_in, f"{place}file/", path)
    signed_in.post(f"{place}read/")
    assert "Drums.wav cannot be read as WAV, RF64 or FLAC" in seen(signed_in, place)


def test_the_stand_in_and_what_is_answered_to_it(signed_in: Client, kit: StoredKit) -> None:
    pk = kit.template_id
    reading = read_with(signed_in, kit, "fader:drums:+3", "polarity:pair")
    place = f"/t/{pk}/bench/readings/{reading.pk}/"
    page = seen(signed_in, place)
    assert "2 issues" in page
    assert "pair has inverted polarity in the print of The mix" in page
    matter = {one["code"]: one["matter"] for one in reading.content["findings"]}
    signed_in.post(f"{place}answer/", {"matter": matter["asbuilt.polarity"], "said": "session"})
    assert "pair has inverted polarity" in seen(signed_in, f"{place}fixes/")
    signed_in.post(f"{place}answer/", {"matter": matter["asbuilt.polarity"], "said": "done"})
    assert "done in the session" in seen(signed_in, place)
    signed_in.post(f"{place}answer/", {"matter": matter["asbuilt.polarity"], "said": ""})
    assert "The fix list is empty" in seen(signed_in, f"{place}fixes/")
    assert signed_in.post(f"{place}answer/", {"matter": "x", "said": "session"}).status_code == 404
    assert signed_in.post(f"{place}map/", {"matter": matter["asbuilt.level"], "base": 9}).status_code == 409
    signed_in.post(f"{place}map/", {"matter": matter["asbuilt.level"], "base": 1})
    stored = StoredTemplate.objects.get(pk=pk)
    assert next(one for one in workspace(stored).template.strips if one.id == "drums").fader_db == pytest.approx(
        3.0, abs=0.05
    )
    assert JournalEntry.objects.get().label.startswith("drums: fader at +3.0 dB: reading of")
    assert "added to the map" in seen(signed_in, place)
    assert (
        read_with(signed_in, services.make_kit(stored, (), 500.0), "fader:drums:0").content["summary"]["matters"] == 0
    )


@pytest.mark.parametrize(
    ("put", "words"),
    [("off:r3", "Disable drums → mix"), ("mute:kick", "Mute kick"), ("late:pair:64", "64 samples measured"), ("feed:pair:drums", "Add the feed pair → drums"),
     ("swap:pair", "fixed by hand"), ("polarity:kick", "Invert polarity of kick"), ("gain:r4:-4", "drums → Drums print at −4.0 dB")],
)  # fmt: skip
def test_what_the_map_would_take_over(signed_in: Client, kit: StoredKit, put: str, words: str) -> None:
    reading = read_with(signed_in, kit, put)
    assert words in seen(signed_in, f"/t/{kit.template_id}/bench/readings/{reading.pk}/")


def test_a_reading_made_on_the_command_line_comes_instead_of_the_files(
    signed_in: Client, kit: StoredKit, tmp_path: Path
) -> None:
    mine = read_with(signed_in, kit, "polarity:kick")
    path = tmp_path / "reading.json"
    path.write_bytes(services.reading_json(mine))
    place = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    sent(signed_in, f"{place}file/", path)
    signed_in.post(f"{place}read/")
    assert "kick has inverted polarity in the print of Drums" in seen(signed_in, place)
    path.write_bytes(services.reading_json(mine).replace(services.kit_in(kit).digest.encode(), b"another"))
    other = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    sent(signed_in, f"{other}file/", path)
    signed_in.post(f"{other}read/")
    assert "the reading is of a different pilot kit" in seen(signed_in, other)
    path.write_bytes(b"{")
    third = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/prints/")["Location"]
    sent(signed_in, f"{third}file/", path)
    signed_in.post(f"{third}read/")
    assert "it is not a reading" in seen(signed_in, third)


def test_a_recording_of_ones_own_is_played(signed_in: Client, room: StoredTemplate, tmp_path: Path) -> None:
    place = f"/t/{room.pk}/bench/tone/"
    path = tmp_path / "in.wav"
    soundfile.write(path, np.full((4800, 1), 0.25), 48000, "FLOAT")
    assert signed_in.post(f"{place}run/", {"sources": "strip:kick", "signal": "file"}).status_code == 422
    with path.open("rb") as file:
        signed_in.post(f"{place}run/", {"sources": "strip:kick", "signal": "file", "seconds": "0.2", "file": file})
    assert "−12.0" in seen(signed_in, place)
    samples, _rate = soundfile.read(io.BytesIO(signed_in.get(f"{place}sound/?strip=kick&stage=in").content))
    assert samples[:4800].max() == pytest.approx(0.25, abs=1e-4)
    assert signed_in.get(f"{place}sound/?strip=kick&stage=nothing").status_code == 404


def test_faults_that_are_none_are_refused(signed_in: Client, kit: StoredKit) -> None:
    answer = signed_in.post(f"/t/{kit.template_id}/bench/kits/{kit.pk}/stand-in/", {"faults": "mute:nobody"})
    assert answer.status_code == 422
    assert "strip nobody does not exist" in answer.content.decode()
    assert not Reading.objects.exists()


def test_a_reading_may_be_stopped_and_goes_on_after_a_crash(signed_in: Client, kit: StoredKit) -> None:
    reading = Reading.objects.create(kit=kit, stand_in=[], state=Reading.MAKING)
    place = f"/t/{kit.template_id}/bench/readings/{reading.pk}/"
    assert "data-poll" in seen(signed_in, place)
    Reading.take_up(read_prints_of)
    reading.refresh_from_db()
    assert reading.state == Reading.DONE
    stopped = Reading.objects.create(kit=kit, stand_in=[], state=Reading.MAKING)
    signed_in.post(f"/t/{kit.template_id}/bench/readings/{stopped.pk}/cancel/")
    read_prints_of.call_local(stopped.pk)
    stopped.refresh_from_db()
    assert (stopped.state, stopped.content) == (Reading.CANCELLED, {})


def test_the_gate_may_ask_for_a_clean_reading_of_the_sealed_state(
    signed_in: Client, room: StoredTemplate, kit: StoredKit, owner
) -> None:  # type: ignore[no-untyped-def]
    revision = revisions.seal(room.pk, owner, 1, "First")

    def conditions() -> list[tuple[str, bool]]:
        return [(one.words, one.is_met) for one in gate(workspace(room), revision) if one.place == "bench"]

    assert conditions() == []
    signed_in.post(f"/t/{room.pk}/bench/require/", {"required": "1"})
    assert conditions() == [("no reading of the prints of this version", False)]
    read_with(signed_in, kit, "mute:kick")
    assert conditions() == [("1 issue in the newest reading of its prints", False)]
    read_with(signed_in, kit)
    assert conditions() == [("no issues in the newest reading of its prints", True)]
    names = zipfile.ZipFile(io.BytesIO(make_pack(revision))).namelist()
    assert any(name.endswith("/reading.json") for name in names)
    signed_in.post(f"/t/{room.pk}/bench/require/", {"required": "0"})
    assert conditions() == []


def test_a_tone_is_run_seen_and_heard(signed_in: Client, room: StoredTemplate) -> None:
    place = f"/t/{room.pk}/bench/tone/"
    assert "A test signal passes through the map" in seen(signed_in, place)
    assert (
        signed_in.post(f"{place}run/", {"sources": "strip:kick", "signal": "sine", "seconds": "0,3"}).status_code == 302
    )
    page = seen(signed_in, place)
    assert "strips carry signal" in page
    assert 'data-differs="kick drums mix p-drums p-mix out"' in page
    sound = signed_in.get(f"{place}sound/?strip=mix")
    samples, rate = soundfile.read(io.BytesIO(sound.content))
    assert (rate, samples.shape) == (48000, (14400, 2))
    assert np.abs(samples).max() == pytest.approx(10 ** ((-18 + 3.01 - 3.0) / 20), abs=0.01)
    assert signed_in.get(f"{place}sound/?strip=nobody").status_code == 404
    signed_in.post(f"{place}run/", {"sources": "", "signal": "pink", "level": "−20", "seconds": "0.2", "each": "1"})
    page = seen(signed_in, place)
    assert "only differences" in page
    assert "pair" in page
    shelf.change(room.pk, room.owner, 1, "x", lambda there: there)
    assert ToneRun.objects.count() == 2


@pytest.mark.parametrize(
    ("posted", "words"),
    [({"sources": "strip:mix"}, "none of these strips"), ({"sources": "Nobody"}, "from: “Nobody” is not the name"), ({"seconds": "0"}, "more than 0"), ({"seconds": "x"}, "must be numbers"),
     ({"seconds": "5", "each": "1"}, "at most 2 s are allowed for each in turn"), ({"level": "30"}, "−120 to 0"), ({"signal": "loud"}, "is not a test signal")],
)  # fmt: skip
def test_a_tone_that_cannot_be_run_is_said(
    signed_in: Client, room: StoredTemplate, posted: dict[str, str], words: str
) -> None:
    answer = signed_in.post(f"/t/{room.pk}/bench/tone/run/", posted)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not ToneRun.objects.exists()


def test_a_loop_that_runs_away_fails_with_its_sentence(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    from tests.build import template

    loop = shelf.store(
        owner, template(["a:x", "b:one", "b:two", "o:out"], ["x>one", "one>two", "send two>one 3", "two>out"])
    )
    signed_in.post(f"/t/{loop.pk}/bench/tone/run/", {"seconds": "20"})
    assert "feeds itself and runs away" in seen(signed_in, f"/t/{loop.pk}/bench/tone/")


def test_prints_of_a_programme_are_measured_and_added_up(
    signed_in: Client, room: StoredTemplate, tmp_path: Path
) -> None:
    place = f"/t/{room.pk}/bench/programme/"
    assert "Prints of the real programme" in seen(signed_in, place)
    signed_in.post(f"{place}begin/")
    programme = Programme.objects.get()
    assert signed_in.post(f"{place}{programme.pk}/measure/").status_code == 422
    noise = np.random.default_rng(1).standard_normal((96000, 2)) * 0.05
    for name in ("Drums", "The mix"):
        soundfile.write(tmp_path / f"{name}.wav", noise, 48000, "PCM_24")
        assert sent(signed_in, f"{place}{programme.pk}/file/", tmp_path / f"{name}.wav").status_code == 200  # type: ignore[attr-defined]
    (tmp_path / "bad.wav").write_bytes(b"")
    signed_in.post(f"{place}{programme.pk}/file/", {"file": SimpleUploadedFile("bad.wav", b"x")})
    signed_in.post(f"{place}{programme.pk}/measure/")
    page = seen(signed_in, place)
    for words in (
        "Drums.wav",
        "bad.wav",
        "cannot be read",
        "stems against The mix",
        "dB of the mix remain without Drums",
    ):
        assert words in page, words
    assert not programme.folder.exists()
