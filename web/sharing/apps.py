"""The app of sharing: roles on a template, teams, links for others."""

from django.apps import AppConfig


class SharingConfig(AppConfig):
    name = "web.sharing"
    label = "sharing"

    def ready(self) -> None:
        from web.sharing import place  # noqa: F401, PLC0415 - it registers itself
