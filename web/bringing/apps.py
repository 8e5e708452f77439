"""The app that brings templates in and keeps them in step with tables."""

from django.apps import AppConfig


class BringingConfig(AppConfig):
    name = "web.bringing"
    label = "bringing"
