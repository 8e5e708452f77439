"""The app for comments on strips, routes, issues, stems and revisions."""

from django.apps import AppConfig


class RemarksConfig(AppConfig):
    name = "web.remarks"
    label = "remarks"
