"""The app of the bench: kits, readings, tones, prints of a programme."""

from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "web.bench"
    label = "bench"
