"""The app that uses parts of templates again: cut down, in another layout, as variants."""

from django.apps import AppConfig


class ReuseConfig(AppConfig):
    name = "web.reuse"
    label = "reuse"
