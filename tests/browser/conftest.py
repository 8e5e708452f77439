"""Debian's Chromium, driven by Playwright, on the live server."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from django.conf import settings
from django.test import Client
from playwright.sync_api import Browser, Page, expect, sync_playwright

from lattice.model.document import Template
from tests.browser.chromium import launch
from tests.browser.late import LATE_MS, hold_back
from web.shelf import services
from web.shelf.models import StoredTemplate

MOST_MS = 60_000  # a slow machine is no fault
expect.set_options(timeout=MOST_MS)

if LATE_MS:
    hold_back()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        opened = launch(playwright)
        yield opened
        opened.close()


@pytest.fixture
def person(transactional_db: None, django_user_model: type):  # type: ignore[no-untyped-def]
    """The same person in every test, to the letter that a session remembers: one sign-in holds for all of a worker."""
    return django_user_model.objects.create(pk=1, username="person", password="as it was")  # noqa: S106 - opens nothing


@pytest.fixture(scope="session")
def session_keys() -> dict[int, str]:
    """The keys of sessions begun in this worker, by person."""
    return {}


@pytest.fixture
def tolerated() -> set[str]:
    """Permitted console errors: answers that refuse an edit. A test that provokes others adds them."""
    return {"409", "422"}


@pytest.fixture
def page(browser: Browser, live_server, person, session_keys: dict[int, str], tolerated: set[str]) -> Iterator[Page]:  # type: ignore[no-untyped-def]
    """A page of a signed-in user; a console error or warning, or a failing script, fails the test."""
    if person.pk not in session_keys:
        client = Client()
        client.force_login(person)
        session_keys[person.pk] = client.cookies[settings.SESSION_COOKIE_NAME].value
    # A window of its own: Chromium draws no frames for pages behind others, and Playwright waits for frames.
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=live_server.url, reduced_motion="reduce"
    )
    context.set_default_timeout(MOST_MS)
    context.add_cookies(
        [{"name": settings.SESSION_COOKIE_NAME, "value": session_keys[person.pk], "url": live_server.url}]
    )
    faults: list[str] = []
    opened = context.new_page()
    opened.on("pageerror", lambda error: faults.append(str(error)))
    opened.on("console", lambda said: faults.append(said.text) if said.type in ("error", "warning") else None)
    yield opened
    context.close()
    assert [fault for fault in faults if not any(words in fault for words in tolerated)] == []


@pytest.fixture
def intercepted(page: Page) -> None:
    """Requests of the page can be held back or refused. Chromium lets one past right after that is active."""
    page.route("**/nothing-is-asked-here", lambda route: route.continue_())


@pytest.fixture
def on_map(page: Page, person) -> Callable[[Template], StoredTemplate]:  # type: ignore[no-untyped-def]
    """Stores a template and opens its map."""

    def open_map(made: Template, query: str = "") -> StoredTemplate:
        stored = services.store(person, made)
        page.goto(f"/t/{stored.pk}/map/{query}")
        page.wait_for_selector("body[data-ready]")
        return stored

    return open_map
