"""Addresses of what is made from a template: smaller, in another layout, with what changed in its origin."""

from django.urls import path

from web.reuse import blocks, views

shelf_urlpatterns = [
    path("blocks/", blocks.blocks_page, name="blocks"),
    path("blocks/<int:number>.json", blocks.export, name="block-json"),
    path("blocks/<int:number>/forget/", blocks.forget, name="block-forget"),
]
urlpatterns = [
    path("cut/", views.cut_page, name="cut"),
    path("cut/keep/", views.keep_cut, name="cut-keep"),
    path("layout/", views.layout_page, name="layout"),
    path("layout/keep/", views.keep_layout, name="layout-keep"),
    path("block/", blocks.keep_page, name="block-new"),
    path("block/keep/", blocks.keep, name="block-keep"),
    path("put/", blocks.choose_page, name="put-choose"),
    path("put/<int:number>/", blocks.put_page, name="put"),
    path("put/<int:number>/keep/", blocks.put_in, name="put-keep"),
    path("from/<int:other>/", blocks.from_page, name="from"),
    path("from/<int:other>/keep/", blocks.bring_from, name="from-keep"),
    path("renew/<int:number>/", blocks.renew_page, name="renew"),
    path("renew/<int:number>/keep/", blocks.renew, name="renew-keep"),
    path("carry/", views.carry_page, name="carry"),
    path("carry/keep/", views.keep_carried, name="carry-keep"),
]
