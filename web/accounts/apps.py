"""Accounts: sign-in, and the log of it."""

from __future__ import annotations

from django.apps import AppConfig


class Accounts(AppConfig):
    name = "web.accounts"
    label = "accounts"

    def ready(self) -> None:
        from web.accounts import signals  # noqa: F401, PLC0415 - they connect themselves, once models are there
