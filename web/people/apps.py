"""The app of people: teams, and what each role may do."""

from __future__ import annotations

from django.apps import AppConfig


class People(AppConfig):
    name = "web.people"
    label = "people"
