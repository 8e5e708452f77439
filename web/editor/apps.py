"""The editor: finds the places when all apps are there."""

from __future__ import annotations

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class Editor(AppConfig):
    name = "web.editor"
    label = "editor"

    def ready(self) -> None:
        from web.editor.places import discover  # noqa: PLC0415 - models are there only now

        discover()
        autodiscover_modules("place")
