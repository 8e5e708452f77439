"""Addresses of what is made from a template: smaller, in another layout, with what changed in its origin."""

from django.urls import path

from web.reuse import views

urlpatterns = [
    path("cut/", views.cut_page, name="cut"),
    path("cut/keep/", views.keep_cut, name="cut-keep"),
    path("layout/", views.layout_page, name="layout"),
    path("layout/keep/", views.keep_layout, name="layout-keep"),
    path("carry/", views.carry_page, name="carry"),
    path("carry/keep/", views.keep_carried, name="carry-keep"),
]
