"""Debian's Chromium, driven by Playwright, on the live server."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator

import pytest
from django.conf import settings
from playwright.sync_api import Browser, Page, sync_playwright

from lattice.model.document import Template
from web.accounts.links import token_for
from web.shelf import services
from web.shelf.models import StoredTemplate

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    "--disable-component-update",
]


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    chromium = shutil.which("chromium")
    assert chromium, "Chromium is missing: make browser installs it"
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        yield opened
        opened.close()


@pytest.fixture
def person(transactional_db: None, django_user_model: type):  # type: ignore[no-untyped-def]
    return django_user_model.objects.create_user("person", password="a long password")  # noqa: S106


@pytest.fixture
def page(browser: Browser, live_server, person) -> Iterator[Page]:  # type: ignore[no-untyped-def]
    """A page of somebody signed in; any error in the console, or a script that throws, fails the test."""
    settings.DEMO_SIGN_IN = True
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=live_server.url, reduced_motion="reduce"
    )
    opened = context.new_page()
    faults: list[str] = []
    opened.on("pageerror", lambda error: faults.append(str(error)))
    opened.on(
        "console",
        lambda said: (
            faults.append(said.text)
            if said.type == "error" and "409" not in said.text and "422" not in said.text
            else None
        ),
    )
    opened.goto(f"/sign-in/{token_for(person.pk)}/")
    yield opened
    context.close()
    settings.DEMO_SIGN_IN = False
    assert faults == []


@pytest.fixture
def on_map(page: Page, person) -> Callable[[Template], StoredTemplate]:  # type: ignore[no-untyped-def]
    """Stores a template and opens its map."""

    def open_map(made: Template, query: str = "") -> StoredTemplate:
        stored = services.store(person, made)
        page.goto(f"/t/{stored.pk}/map/{query}")
        page.wait_for_selector("body[data-ready]")
        return stored

    return open_map
