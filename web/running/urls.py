"""Addresses for monitoring."""

from django.urls import path

from web.running import health

urlpatterns = [
    path("health/", health.health, name="health"),
    path("health/live/", health.live, name="health-live"),
]
