"""Addresses of the shelf."""

from django.urls import path

from web.shelf import recovery, views

urlpatterns = [
    path("", views.shelf, name="shelf"),
    path("demo/", views.demo, name="shelf-demo"),
    path("new/", views.new, name="shelf-new"),
    path("new/<str:starter>.svg", views.starter_small, name="starter-small"),
    path("templates/tags/", views.set_tags, name="shelf-tags"),
    path("templates/delete/", views.delete_several, name="shelf-delete-several"),
    path("t/<int:pk>/small.svg", views.small, name="small"),
    path("t/<int:pk>/new-from/", views.new_from, name="new-from"),
    path("t/<int:pk>/duplicate/", views.duplicate, name="shelf-duplicate"),
    path("t/<int:pk>/delete/", views.delete, name="shelf-delete"),
    path("t/<int:pk>/take/", views.take, name="shelf-take"),
    path("t/<int:pk>/restore/", views.restore, name="shelf-restore"),
    path("t/<int:pk>/stored.json", recovery.raw, name="shelf-raw"),
    path("t/<int:pk>/recover/", recovery.back_to_readable, name="shelf-recover"),
    path("t/<int:pk>/export/<str:form>/", views.export, name="export"),
]
