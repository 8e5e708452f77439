"""Common fixtures: a user, a template of theirs, no cached workspace from another database."""

from __future__ import annotations

import os
from collections.abc import Iterator

import pytest
from django.conf import settings as django_settings
from django.test import Client
from hypothesis import HealthCheck, settings

from lattice.model.document import Template
from tests.build import template
from web.bringing.reading import forget_books
from web.editor.lists import forget_lists
from web.editor.presence import forget_everybody
from web.shared.jobs import queue
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import forget_all

# The gate tries the same examples every time; `make test-long` draws new ones and prints how to draw a failure again.
settings.register_profile("gate", derandomize=True, database=None, deadline=None)
settings.register_profile("long", print_blob=True, deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile(os.environ.get("LATTICE_TEST_PROFILE", "gate"))

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # Playwright's event loop runs in the same thread

MADE = template(
    [
        {"id": "kick", "name": "Kick", "kind": "audio", "section": "drums"},
        {"id": "lost", "name": "Lost", "kind": "audio", "section": "drums"},
        {"id": "bus", "name": "Drum bus", "kind": "bus", "section": "drums"},
        {"id": "out", "name": "Out", "kind": "output"},
    ],
    ["kick>bus", "bus>out"],
    name="Small",
    sections=[{"id": "drums", "name": "Drums", "bus": "bus", "colour": "#8a4b2d"}],
)


@pytest.fixture(autouse=True, scope="session")
def _light_accounts(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Sessions in a folder of their own, and passwords that cost no half second a test."""
    django_settings.SESSION_FILE_PATH = str(tmp_path_factory.mktemp("sessions"))
    django_settings.HEARTBEAT = tmp_path_factory.mktemp("worker") / "beat"
    django_settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture(autouse=True)
def _fresh_workspaces() -> None:
    """Templates of each test have the numbers of those before: nothing kept of them in memory may be taken for theirs."""
    forget_all()
    forget_books()
    forget_everybody()
    forget_lists()


@pytest.fixture
def at_once(settings, tmp_path) -> Iterator[None]:  # type: ignore[no-untyped-def]
    """Background work within the request, and recordings in a folder of the test's."""
    settings.PRINTS = tmp_path / "prints"
    queue.immediate = True
    yield
    queue.immediate = False


@pytest.fixture
def made() -> Template:
    return MADE


@pytest.fixture
def owner(db: None, django_user_model: type):  # type: ignore[no-untyped-def]
    return django_user_model.objects.create_user(
        "owner",
        password="a long password",  # noqa: S106
        first_name="I.",
        last_name="Strand",
    )


@pytest.fixture
def second(db: None, django_user_model: type):  # type: ignore[no-untyped-def]
    """Another user, with an account of their own."""
    return django_user_model.objects.create_user("second", first_name="M.", last_name="Quay")


@pytest.fixture
def stored(owner, made: Template) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, made)


@pytest.fixture
def signed_in(owner, client: Client) -> Client:  # type: ignore[no-untyped-def]
    client.force_login(owner)
    return client
