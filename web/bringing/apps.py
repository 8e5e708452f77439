"""The app for imports, and for updates from tables."""

from django.apps import AppConfig


class BringingConfig(AppConfig):
    name = "web.bringing"
    label = "bringing"
