"""Addresses of derived templates: reduced, in another layout, with the changes of the original."""

from django.urls import path

from web.reuse import blocks, put_in, views

shelf_urlpatterns = [
    path("blocks/", blocks.blocks_page, name="blocks"),
    path("blocks/names.json", blocks.names, name="block-names"),
    path("blocks/<int:number>.json", blocks.export, name="block-json"),
    path("blocks/<int:number>.svg", blocks.small, name="block-small"),
    path("blocks/<int:number>/forget/", blocks.forget, name="block-forget"),
]
urlpatterns = [
    path("cut/", views.cut_page, name="cut"),
    path("cut/keep/", views.keep_cut, name="cut-keep"),
    path("layout/", views.layout_page, name="layout"),
    path("layout/keep/", views.keep_layout, name="layout-keep"),
    path("block/", blocks.keep_page, name="block-new"),
    path("block/keep/", blocks.keep, name="block-keep"),
    path("put/", put_in.choose_page, name="put-choose"),
    path("put/<int:number>/", put_in.put_page, name="put"),
    path("put/<int:number>/keep/", put_in.put_in, name="put-keep"),
    path("from/<int:other>/", put_in.from_page, name="from"),
    path("from/<int:other>/keep/", put_in.bring_from, name="from-keep"),
    path("from/<int:other>/revisions/<int:number>/", put_in.from_page, name="from-revision"),
    path("from/<int:other>/revisions/<int:number>/keep/", put_in.bring_from, name="from-revision-keep"),
    path("renew/<int:number>/", blocks.renew_page, name="renew"),
    path("renew/<int:number>/keep/", blocks.renew, name="renew-keep"),
    path("carry/", views.carry_page, name="carry"),
    path("carry/keep/", views.keep_carried, name="carry-keep"),
]
