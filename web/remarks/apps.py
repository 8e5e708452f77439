"""The app of remarks: what people say of strips, routes, matters, stems and revisions."""

from django.apps import AppConfig


class RemarksConfig(AppConfig):
    name = "web.remarks"
    label = "remarks"
