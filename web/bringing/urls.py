"""Addresses of imports."""

from django.urls import path

from web.bringing import measuring, views

urlpatterns = [
    path("import/", views.bring, name="bring"),
    path("import/sample/", views.sample, name="bring-sample"),
    path("import/<int:number>/", views.page, name="brought"),
    path("import/<int:number>/choose/", views.choose, name="bring-choose"),
    path("import/<int:number>/keep/", views.keep, name="bring-keep"),
    path("recordings/", measuring.begin, name="recordings-begin"),
    path("recordings/<int:number>/", measuring.page, name="recordings"),
    path("recordings/<int:number>/body/", measuring.body, name="recordings-body"),
    path("recordings/<int:number>/file/", measuring.measured, name="recordings-file"),
    path("recordings/<int:number>/keep/", measuring.keep, name="recordings-keep"),
    path("t/<int:pk>/recordings/", measuring.begin, name="recordings-into"),
    path("t/<int:pk>/import/", views.bring_into, name="bring-into"),
]
