"""Operation: checked settings, health, logs, expired data, and queued jobs."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
from datetime import timedelta
from pathlib import Path
from time import time
from typing import Any

import pytest
from django.conf import settings as django_settings
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import Client
from django.utils import timezone

from tests.build import template
from tests.web.test_writes import write
from web.accounts.models import Event
from web.plans.models import PlanJob
from web.running import health
from web.running.tidying import is_usual, since_last, tidy
from web.shared import heartbeat
from web.shared.logs import JsonLines, WithoutPaths
from web.shelf.models import JournalEntry, StoredTemplate

# settings


def started(folder: Path, *command: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """`manage.py` in an environment of its own."""
    known = {name: value for name, value in os.environ.items() if not name.startswith(("LATTICE_", "DJANGO_"))}
    given = {**known, "LATTICE_VAR": str(folder), **environment}
    words = [sys.executable, "manage.py", *command]
    return subprocess.run(words, env=given, capture_output=True, text=True, check=False)


@pytest.mark.parametrize(
    ("environment", "words"),
    [
        ({"LATTICE_HOSTS": "*"}, "LATTICE_HOSTS is “*”; list the hosts"),
        ({"LATTICE_HOSTS": " , "}, "LATTICE_HOSTS is empty"),
        ({"LATTICE_HOSTS": "lattice.example", "LATTICE_DEBUG": "1"}, "are allowed on this machine only"),
        ({"LATTICE_HOSTS": "lattice.example", "LATTICE_DEMO": "1"}, "are allowed on this machine only"),
        ({"LATTICE_SECRET": "short"}, "LATTICE_SECRET has 5 characters; at least 50 are required"),
        ({"LATTICE_SECRET": ""}, "LATTICE_SECRET has 0 characters"),
        ({"LATTICE_DEBUG": "yes"}, "1 (on) and 0 (off) are allowed"),
        ({"LATTICE_PROXY": "the proxy"}, "LATTICE_PROXY is “the proxy”"),
        ({"LATTICE_IDLE_HOURS": "0"}, "a whole number of at least 1 is allowed"),
        ({"LATTICE_MAIL_HOST": "mail.example"}, "LATTICE_MAIL_HOST and LATTICE_MAIL_FROM go together"),
        ({"LATTICE_MAIL_HOST": "mail.example", "LATTICE_MAIL_FROM": "us"}, "LATTICE_MAIL_FROM is “us”"),
        ({"LATTICE_MAIL_SECURITY": "some"}, "starttls, tls, none are allowed"),
        ({"LATTICE_VAR": "/proc/nowhere"}, "the data folder /proc/nowhere cannot be created"),
    ],
)
def test_what_is_wrong_in_the_environment_is_one_sentence(
    tmp_path: Path, environment: dict[str, str], words: str
) -> None:
    done = started(tmp_path, "check", **environment)
    assert done.returncode == 1
    assert done.stderr.startswith("Intact Lattice cannot start: ")
    assert words in done.stderr
    assert len(done.stderr.splitlines()) == 1


def test_a_public_host_passes_the_deployment_check_and_needs_a_migrated_database(tmp_path: Path) -> None:
    public = {"LATTICE_HOSTS": "lattice.example"}
    done = started(tmp_path, "check", "--deploy", "--fail-level", "WARNING", **public)
    assert (done.returncode, done.stderr) == (0, "")
    served = started(tmp_path, "serve", "--listen", "127.0.0.1:1", **public)
    assert (served.returncode, "run `migrate` first" in served.stderr) == (1, True)


# health and logs


@pytest.fixture
def beating(tmp_path: Path, settings: Any) -> Path:
    settings.HEARTBEAT = tmp_path / "beat"
    heartbeat.beat()
    return settings.HEARTBEAT  # type: ignore[no-any-return]


def test_health_says_what_is_well(db: None, beating: Path) -> None:
    answer = Client().get("/health/")
    assert (answer.status_code, answer.json()["well"]) == (200, True)
    assert set(answer.json()["parts"]) == {"database", "worker", "disk"}
    assert Client().get("/health/live/").json() == {"well": True}


@pytest.mark.parametrize("part", ["worker", "worker, clock put back", "disk", "database"])
def test_health_says_what_is_not_well(db: None, beating: Path, monkeypatch: pytest.MonkeyPatch, part: str) -> None:
    if part.startswith("worker"):
        at = 0 if part == "worker" else time() + 3600
        os.utime(beating, (at, at))
    elif part == "disk":
        monkeypatch.setattr(health, "LEAST_FREE", 1 << 62)
    else:
        monkeypatch.setattr(health, "unmigrated", lambda: ["shelf.9999"])
    answer = Client().get("/health/")
    assert answer.status_code == 503
    assert [name for name, said in answer.json()["parts"].items() if not said["well"]] == [
        part.split(",", maxsplit=1)[0]
    ]


def test_a_job_says_that_no_worker_is_there(signed_in: Client, stored: StoredTemplate, beating: Path) -> None:
    PlanJob.objects.create(template=stored, version=stored.version)
    assert "Waiting for the worker" in signed_in.get(f"/t/{stored.pk}/plan/progress/").content.decode()
    os.utime(beating, (0, 0))
    assert "The background worker is not running" in signed_in.get(f"/t/{stored.pk}/plan/progress/").content.decode()


def test_a_line_of_the_log_has_the_request_and_nobody_in_it(
    signed_in: Client, stored: StoredTemplate, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("INFO", "web.requests")
    answer = signed_in.get(f"/t/{stored.pk}/strips/?q=secret")
    said = json.loads(JsonLines().format(caplog.records[-1]))
    assert said["request"] == answer["X-Request-Id"]
    assert (said["method"], said["view"], said["status"]) == ("GET", "strips", 200)
    assert not {"secret", "owner", "127.0.0.1"} & set(json.dumps(said).replace('"', " ").split())


@pytest.mark.parametrize(
    ("path", "status", "says"),
    [
        ("/invitation/s3cret/", 404, "Not Found: invitation"),
        ("/link/s3cret/", 404, "Not Found: link"),
        ("/s3cret/", 404, "Not Found: no such address"),
    ],
)
def test_a_secret_in_a_path_is_not_in_the_log(
    db: None, caplog: pytest.LogCaptureFixture, path: str, status: int, says: str
) -> None:
    caplog.handler.addFilter(WithoutPaths())
    assert Client().get(path).status_code == status
    (said,) = [record.getMessage() for record in caplog.records if record.name == "django.request"]
    assert said == says
    assert all(WithoutPaths.__name__ in str(one["()"]) for one in django_settings.LOGGING["filters"].values())


# tidying, quotas


def test_what_is_over_is_tidied_away_and_the_rest_stays(signed_in: Client, stored: StoredTemplate, owner: User) -> None:
    write(signed_in, stored, "change_strip", strip="kick", fader_db="-3")
    gone = StoredTemplate.objects.create(owner=owner, name="Gone", head=stored.head, deleted_at=timezone.now())
    Event.objects.create(kind="account", words="new")
    tidy()
    assert StoredTemplate.objects.count() == 2
    long_ago = timezone.now() - timedelta(days=400)
    StoredTemplate.objects.filter(pk=gone.pk).update(deleted_at=long_ago)
    Event.objects.filter(words="new").update(at=long_ago)
    JournalEntry.objects.update(at=long_ago)
    done = tidy()
    assert (done["templates"], done["events"], done["patches of edits"]) == (1, 1, 1)
    assert [str(entry) for entry in JournalEntry.objects.all()] == ["2: Kick: fader −3"]
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200
    assert write(signed_in, stored, "undo").status_code == 409, "what it did is not known any more"


@pytest.mark.parametrize(
    ("jump", "goes_on"),
    [(timedelta(days=1), True), (timedelta(days=7), True), (timedelta(days=400), False), (-timedelta(days=1), False)],
)
def test_nothing_is_taken_away_on_the_day_the_clock_has_jumped(
    db: None, tmp_path: Path, settings: Any, jump: timedelta, goes_on: bool
) -> None:
    settings.VAR = tmp_path
    now = timezone.now()
    assert is_usual(since_last(now)), "the first time"
    assert is_usual(since_last(now + jump)) is goes_on
    assert is_usual(since_last(now + jump + timedelta(days=1))), "a day later the clock is believed"


def test_on_a_full_disk_whoever_is_signed_in_reads_on(
    signed_in: Client, stored: StoredTemplate, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = signed_in.session
    session["seen"] -= 3600  # so that the next look is written down
    session.save()

    def full(*_given: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 200


def test_the_first_administrator_is_invited_from_the_command_line(db: None) -> None:
    out = io.StringIO()
    call_command("administrator", address="https://lattice.example/", stdout=out)
    assert out.getvalue().startswith("https://lattice.example/invitation/")
    path = out.getvalue().strip().removeprefix("https://lattice.example")
    password = "tide and glass 7"  # noqa: S105 - of nobody
    Client().post(path, {"username": "runs", "password1": password, "password2": password})
    assert User.objects.get().is_staff


def test_a_full_shelf_is_told_and_takes_no_more(signed_in: Client, stored: StoredTemplate, settings: Any) -> None:
    settings.MOST_TEMPLATES = 2
    assert signed_in.post("/new/", {"name": "Second"}).status_code == 302
    for address, values in (("/new/", {"name": "Third"}), (f"/t/{stored.pk}/duplicate/", {})):
        answer = signed_in.post(address, values)
        assert (answer.status_code, "You have 2 templates" in answer.content.decode()) == (403, True)
    assert StoredTemplate.objects.count() == 2


def test_computed_templates_take_no_more_memory_than_is_said(owner: User, settings: Any) -> None:
    from web.shelf import services, workspace

    stored = [services.store(owner, template([f"a:x{n}" for n in range(20)], name=f"T{number}")) for number in range(6)]
    one = workspace.size_of(workspace.workspace(stored[0]))
    settings.CACHE_BYTES = 3 * one
    workspace.forget_all()
    for each in stored:
        workspace.workspace(each)
    assert len(workspace._kept) == 3
    assert list(workspace._kept) == [each.pk for each in stored[-3:]]
