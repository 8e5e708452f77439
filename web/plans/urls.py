"""Addresses of a template's plan."""

from django.urls import path

from web.plans import views

urlpatterns = [
    path("plan/", views.plan_page, name="plan"),
    path("plan/begin/", views.begin, name="plan-begin"),
    path("plan/progress/", views.progress, name="plan-progress"),
    path("plan/cancel/", views.cancel, name="plan-cancel"),
    path("plan/check/", views.check, name="plan-check"),
    path("plan/do/", views.carry_out, name="plan-do"),
]
