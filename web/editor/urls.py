"""Addresses of one template: its places (pages), the fragments they are made of, and what writes."""

from django.urls import path

from web.editor import inventories, views, writes

urlpatterns = [
    path("map/", views.map_page, name="map"),
    path("crosspoints/", views.crosspoints_page, name="crosspoints"),
    path("strip/", views.place_page, {"place": "strip"}, name="strip"),
    path("keys/", views.place_page, {"place": "keys"}, name="keys"),
    path("ports/", views.place_page, {"place": "ports"}, name="ports"),
    path("levels/", views.place_page, {"place": "levels"}, name="levels"),
    path("delivery/", views.place_page, {"place": "delivery"}, name="delivery"),
    path("timing/", views.place_page, {"place": "timing"}, name="timing"),
    path("stems/", views.place_page, {"place": "stems"}, name="stems"),
    path("hygiene/", views.place_page, {"place": "hygiene"}, name="hygiene"),
    path("inventory/", views.place_page, {"place": "inventory"}, name="inventory"),
    path("findings/", views.place_page, {"place": "findings"}, name="findings"),
    path("panel/findings/", views.findings_panel, name="findings-panel"),
    path("panel/strip/<str:strip>/", views.strip_panel, name="strip-panel"),
    path("panel/section/<str:section>/", views.section_panel, name="section-panel"),
    path("panel/add/", views.add_panel, name="add-panel"),
    path("panel/trace/", views.trace_panel, name="trace-panel"),
    path("panel/journal/", views.journal_panel, name="journal-panel"),
    path("panel/selection/", views.selection_panel, name="selection-panel"),
    path("panel/preview/<str:what>/", writes.preview, name="preview"),
    path("write/planned/", writes.write_planned, name="write-planned"),
    path("write/undo/", writes.undo, name="undo"),
    path("write/redo/", writes.redo, name="redo"),
    path("write/fold/", writes.fold, name="fold"),
    path("write/keep-profile/", writes.keep_profile, name="keep-profile"),
    path("write/forget-profile/", writes.forget_profile, name="forget-profile"),
    path("inventory/<int:of>.csv", inventories.export_inventory, name="inventory-csv"),
    path("write/bring-inventory/", inventories.bring_inventory, name="bring-inventory"),
    path("write/take-inventory/", inventories.take_inventory, name="take-inventory"),
    path("write/forget-inventory/", inventories.forget_inventory, name="forget-inventory"),
    path("write/redraw/", writes.redraw, name="redraw"),
    path("write/tidy/", writes.tidy, name="tidy"),
    path("write/remedy/<str:fingerprint>/<int:number>/", writes.remedy, name="remedy"),
    path("write/<str:what>/", writes.write, name="write"),
]
