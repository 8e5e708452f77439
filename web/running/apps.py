"""The app of running: serving, working, health, backups, tidying."""

from django.apps import AppConfig


class RunningConfig(AppConfig):
    name = "web.running"
    label = "running"
