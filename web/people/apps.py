"""The app for people: teams, and the permissions of each role."""

from __future__ import annotations

from django.apps import AppConfig


class People(AppConfig):
    name = "web.people"
    label = "people"
