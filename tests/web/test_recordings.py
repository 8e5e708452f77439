"""Recordings in the browser: measured as they arrive, their levels taken into strips, or strips made of them."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
import soundfile
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from lattice.model.document import Source
from web.bringing import tasks
from web.bringing.models import Recording, Recordings
from web.shared.jobs import queue
from web.shelf.models import JournalEntry, StoredTemplate
from web.shelf.workspace import workspace

pytestmark = pytest.mark.usefixtures("at_once")

TONE = 0.5 * np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)  # −6.02 dBFS, RMS −9.03 dBFS (mathematics)


def wav(samples: np.ndarray = TONE, channels: int = 1, rate: int = 48_000) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, np.stack([samples] * channels, axis=1), rate, format="WAV", subtype="PCM_24")
    return out.getvalue()


def begun(client: Client, into: StoredTemplate | None = None) -> str:
    return str(client.post(f"/t/{into.pk}/recordings/" if into else "/recordings/")["Location"])


def send(client: Client, address: str, name: str, data: bytes) -> str:
    answer = client.post(f"{address}file/", {"file": SimpleUploadedFile(name, data)})
    assert answer.status_code == 200
    return " ".join(answer.content.decode().split())


def test_a_recording_gives_its_levels_to_the_strip_of_its_name(signed_in: Client, stored: StoredTemplate) -> None:
    address = begun(signed_in, stored)
    page = send(signed_in, address, "KICK.wav", wav())
    for words in ("−6.02", "−9.03", 'value="Kick"', '1</span> of <span class="figure">1'):
        assert words in page, words
    kept = Recording.objects.get()
    assert (
        signed_in.post(f"{address}keep/", {"base": 1, f"strip-{kept.pk}": "Kick"})["Location"]
        == f"/t/{stored.pk}/levels/"
    )
    stored.refresh_from_db()
    assert workspace(stored).template.strips[0].source == Source(peak_dbfs=-6.02, rms_dbfs=-9.03)
    assert JournalEntry.objects.get().label == "Measured levels of 1 strip"
    assert not Recordings.objects.exists()


def test_another_strip_may_be_named_and_others_become_strips(signed_in: Client, stored: StoredTemplate) -> None:
    address = begun(signed_in, stored)
    for name in ("Boom.wav", "Door.flac.wav", "Choir.wav"):
        send(signed_in, address, name, wav(channels=6 if name == "Choir.wav" else 1))
    boom = Recording.objects.get(name="Boom")
    posted = {"base": 1, f"strip-{boom.pk}": "lost", "add": "1", "section": "drums"}
    signed_in.post(f"{address}keep/", posted)
    stored.refresh_from_db()
    made = workspace(stored).template
    assert made.strips[1].source == Source(peak_dbfs=-6.02, rms_dbfs=-9.03)
    assert [(s.name, s.layout, s.section) for s in made.strips if s.name in ("Choir", "Door.flac")] == [
        ("Choir", "5.1", "drums"), ("Door.flac", "mono", "drums"),
    ]  # fmt: skip
    assert JournalEntry.objects.get().label == "Measured levels of 1 strip, 2 added"


def test_a_folder_becomes_a_template(signed_in: Client) -> None:
    address = begun(signed_in)
    for name in ("Bed north.wav", "Bed south.wav"):
        send(signed_in, address, name, wav(channels=2))
    answer = signed_in.post(f"{address}keep/", {"name": "  Shore  "})
    stored = StoredTemplate.objects.get()
    assert answer["Location"] == f"/t/{stored.pk}/map/"
    assert (stored.name, [(s.name, s.kind, s.layout) for s in workspace(stored).template.strips]) == (
        "Shore",
        [("Bed north", "audio", "stereo"), ("Bed south", "audio", "stereo")],
    )


WRONG = {
    "a list": (b"Kick\nSnare\n", "cannot be read as WAV or FLAC"),
    "no samples": (wav(np.zeros(0)), "has no samples"),
    "no sound": (wav(np.zeros(48_000)), "has no sound above −60 dBFS"),
    "cut off in its head": (wav()[:30], "cannot be read as WAV or FLAC|has no samples"),
}


@pytest.mark.parametrize(("data", "words"), WRONG.values(), ids=WRONG)
def test_what_cannot_be_measured_says_why_and_changes_nothing(
    signed_in: Client, stored: StoredTemplate, data: bytes, words: str
) -> None:
    address = begun(signed_in, stored)
    page = send(signed_in, address, "Kick.wav", data)
    assert any(one in page for one in words.split("|"))
    kept = Recording.objects.get()
    answer = signed_in.post(f"{address}keep/", {"base": 1, f"strip-{kept.pk}": "Kick"})
    assert answer.status_code == 422
    assert "No levels to apply" in answer.content.decode()
    assert not JournalEntry.objects.exists()


def test_a_file_that_is_too_large_says_so(signed_in: Client, settings) -> None:  # type: ignore[no-untyped-def]
    settings.LARGEST_FILE = 1000
    assert "GiB (limit" in send(signed_in, begun(signed_in), "Long.wav", wav())


def test_a_large_file_is_measured_too(signed_in: Client, settings) -> None:  # type: ignore[no-untyped-def]
    settings.FILE_UPLOAD_MAX_MEMORY_SIZE = 100
    assert "−6.02" in send(signed_in, begun(signed_in), "Long.wav", wav())


def in_lot(user: User, *names: str) -> Recordings:
    """Recordings that wait, as many as there are names."""
    lot = Recordings.objects.create(owner=user)
    for name in names:
        one = Recording.objects.create(of=lot, name=name, state=Recording.WAITING)
        tasks.file_of(one).parent.mkdir(parents=True, exist_ok=True)
        tasks.file_of(one).write_bytes(wav())
    return lot


def test_people_take_turns(owner: User, second: User, monkeypatch: pytest.MonkeyPatch) -> None:
    in_lot(owner, "a1", "a2", "a3")
    in_lot(second, "b1", "b2")
    order: list[str] = []
    monkeypatch.setattr(
        tasks, "_measure", lambda one: (order.append(one.name), Recording.objects.filter(pk=one.pk).update(state=""))
    )
    monkeypatch.setattr(tasks, "_turns", {})
    tasks.measure_next.call_local()
    assert order == ["a1", "b1", "a2", "b2", "a3"]


def test_an_hour_too_much_is_refused_by_frames_and_channels(signed_in: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    """0.8 MB of FLAC may hold hours of silence: the limit counts decoded samples."""
    monkeypatch.setattr(tasks, "MOST_SAMPLES", 100_000)
    page = send(signed_in, begun(signed_in), "Silence.wav", wav(channels=6))
    assert "of 6 channels, 0.0 billion samples (limit 0.0 billion)" in page


def test_what_the_worker_was_at_when_it_ended_is_not_measured_again(
    owner: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    lot = in_lot(owner, "a", "b")
    Recording.objects.filter(name="a").update(state=Recording.MEASURING)
    path = tasks.file_of(Recording.objects.get(name="a"))
    tasks.take_up()
    said = dict(lot.files.values_list("name", "said"))
    assert said == {"a": "the worker stopped while measuring it; add it again", "b": ""}
    assert lot.files.get(name="b").peak_dbfs == pytest.approx(-6.02, abs=0.01)
    assert not path.exists()


def test_files_wait_for_the_worker_and_are_asked_for(
    signed_in: Client, stored: StoredTemplate, monkeypatch: pytest.MonkeyPatch
) -> None:
    queue.immediate = False
    address = begun(signed_in, stored)
    page = send(signed_in, address, "Kick.wav", wav())
    assert "data-waiting" in page
    assert "1</span> waits to be measured" in page
    tasks.measure_next.call_local()
    page = signed_in.get(f"{address}body/").content.decode()
    assert ("data-waiting" in page, "−6.02" in page) == (False, True)
    assert not any((Path(settings.PRINTS) / "recordings").iterdir())


def test_what_waits_counts_against_the_quota(signed_in: Client, settings) -> None:  # type: ignore[no-untyped-def]
    queue.immediate = False
    settings.PRINTS_QUOTA = len(wav()) + 10
    address = begun(signed_in)
    send(signed_in, address, "One.wav", wav())
    refused = signed_in.post(f"{address}file/", {"file": SimpleUploadedFile("Two.wav", wav())})
    assert (refused.status_code, b"not enough space" in refused.content) == (422, True)
    assert Recording.objects.count() == 1


def test_what_is_not_there_any_more_or_stale_is_refused(signed_in: Client, stored: StoredTemplate) -> None:
    address = begun(signed_in, stored)
    send(signed_in, address, "Kick.wav", wav())
    kept = Recording.objects.get()
    assert signed_in.post(f"{address}keep/", {"base": 9, f"strip-{kept.pk}": "Kick"}).status_code == 409
    wrong = signed_in.post(f"{address}keep/", {"base": 1, f"strip-{kept.pk}": "Nobody"})
    assert (wrong.status_code, "no source has the name Nobody" in wrong.content.decode()) == (
        422,
        True,
    )
    assert signed_in.post(f"{address}file/").status_code == 422
    assert signed_in.get("/recordings/99/").status_code == 404
