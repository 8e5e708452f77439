"""Accounts: signing in is no write."""

from __future__ import annotations

from django.apps import AppConfig
from django.contrib.auth import user_logged_in


class Accounts(AppConfig):
    name = "web.accounts"

    def ready(self) -> None:
        user_logged_in.disconnect(dispatch_uid="update_last_login")
