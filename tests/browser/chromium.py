"""Where Debian's Chromium is, and how it is started for tests and pictures."""

from __future__ import annotations

import shutil

from playwright.sync_api import Browser, Playwright

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    "--disable-component-update",
]


def launch(playwright: Playwright) -> Browser:
    """The headless browser where it is installed, which opens a page in a fifth of the time; else the whole one."""
    path = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    assert path, "Chromium is missing: make browser installs it"
    return playwright.chromium.launch(executable_path=path, args=FLAGS)
