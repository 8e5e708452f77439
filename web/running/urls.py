"""Addresses for whoever watches over the application."""

from django.urls import path

from web.running import health

urlpatterns = [
    path("health/", health.health, name="health"),
    path("health/live/", health.live, name="health-live"),
]
