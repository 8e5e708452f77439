"""Addresses of one template: its pages, their fragments, and writes."""

from django.urls import path

from web.editor import adding, inventories, map_views, matter_views, news, panels, route_channels, views, writes
from web.editor.places.base import PLACES

urlpatterns = [
    *(
        path(f"{old}/", views.led_on, {"now": now, "with_query": query}, name=old)
        for old, now, query in views.OLD_PLACES
    ),
    *(
        path(f"{place.name}/", views.place_page, {"place": place.name}, name=place.name)
        for place in PLACES.values()
        if place.context is not None
    ),
    path("panel/findings/", panels.findings_panel, name="findings-panel"),
    path("panel/strip/<str:strip>/", panels.strip_panel, name="strip-panel"),
    path("panel/section/<str:section>/", panels.section_panel, name="section-panel"),
    path("panel/add/", adding.add_panel, name="add-panel"),
    path("panel/rows/", adding.rows_panel, name="rows-panel"),
    path("panel/trace/", panels.trace_panel, name="trace-panel"),
    path("panel/channels/<str:route>/", route_channels.channels_panel, name="channels-panel"),
    path("panel/solo/", panels.solo_panel, name="solo-panel"),
    path("panel/views/", map_views.views_panel, name="views-panel"),
    path("panel/journal/", panels.journal_panel, name="journal-panel"),
    path("panel/selection/", panels.selection_panel, name="selection-panel"),
    path("panel/action/<str:name>/", panels.action_panel, name="action-panel"),
    path("panel/choices/<str:source>/", panels.choices, name="choices"),
    path("panel/preview/<str:what>/", writes.preview, name="preview"),
    path("write/planned/", writes.write_planned, name="write-planned"),
    path("write/undo/", writes.undo, name="undo"),
    path("write/redo/", writes.redo, name="redo"),
    path("write/fold/", writes.fold, name="fold"),
    path("write/view/", map_views.show, name="view"),
    path("write/hide/", map_views.hide, name="hide"),
    path("write/keep-view/", map_views.keep, name="keep-view"),
    path("write/keep-profile/", writes.keep_profile, name="keep-profile"),
    path("write/forget-profile/", writes.forget_profile, name="forget-profile"),
    path("inventory/<int:of>.csv", inventories.export_inventory, name="inventory-csv"),
    path("write/bring-inventory/", inventories.bring_inventory, name="bring-inventory"),
    path("write/take-inventory/", inventories.take_inventory, name="take-inventory"),
    path("write/take-latencies/", inventories.take_latencies, name="take-latencies"),
    path("write/forget-inventory/", inventories.forget_inventory, name="forget-inventory"),
    path("write/redraw/", writes.redraw, name="redraw"),
    path("write/tidy/", writes.tidy, name="tidy"),
    path("write/remedy/<str:fingerprint>/<str:key>/", writes.remedy, name="remedy"),
    path("write/catch-up/", news.catch_up, name="catch-up"),
    path("write/follow/", matter_views.follow, name="follow"),
    path("write/<str:what>/", writes.write, name="write"),
    path("news/", news.news, name="news"),
    path("opened/", news.opened, name="opened"),
    path("rows/", matter_views.further_rows, name="further-rows"),
    path("matter/<str:key>/", matter_views.matter, name="matter"),
    path("effect/<str:fingerprint>/<str:key>/", matter_views.effect, name="effect"),
    path("<str:name>.json", matter_views.table, name="table"),
]
