"""Addresses of a template's revisions."""

from django.urls import path

from web.revisions import views

urlpatterns = [
    path("revisions/", views.revisions_page, name="revisions"),
    path("revisions/compare/", views.compare_page, name="compare"),
    path("revisions/seal/", views.seal, name="seal"),
    path("revisions/tick/", views.tick, name="tick"),
    path("revisions/untick/", views.untick, name="untick"),
    path("revisions/<int:number>/sign/", views.sign, name="sign"),
    path("revisions/<int:number>/back/", views.go_back, name="go-back"),
    path("revisions/<int:number>/take/", views.take, name="take"),
    path("revisions/<int:number>/document/", views.document, name="revision-document"),
    path("revisions/<int:number>/pack/begin/", views.begin, name="pack-begin"),
    path("revisions/<int:number>/pack/progress/", views.progress, name="pack-progress"),
    path("revisions/<int:number>/pack/cancel/", views.cancel, name="pack-cancel"),
    path("revisions/<int:number>/pack/", views.download, name="pack"),
]
