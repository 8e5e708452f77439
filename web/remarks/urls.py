"""Addresses of remarks, under a template."""

from django.urls import path

from web.remarks import views

urlpatterns = [
    path("panel/remarks/", views.panel, name="remarks-panel"),
    path("remarks/begin/", views.begin, name="remark-begin"),
    path("remarks/require/", views.require, name="remarks-require"),
    path("remarks/<int:number>/answer/", views.answer, name="remark-answer"),
    path("remarks/<int:number>/settle/", views.settle, name="remark-settle"),
]
