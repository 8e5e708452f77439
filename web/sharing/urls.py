"""Addresses of sharing: under a template, and of teams, roles and links."""

from django.urls import path

from web.sharing import links, views

shelf_urlpatterns = [
    path("teams/", views.teams, name="teams"),
    path("teams/<int:number>/", views.team, name="team"),
    path("teams/<int:number>/member/", views.set_member, name="set-member"),
    path("teams/<int:number>/member/<int:person>/remove/", views.remove_member, name="remove-member"),
    path("roles/", views.roles, name="roles"),
    path("link/<str:token>/", links.link, name="link"),
    path("link/<str:token>/map.svg", links.link_map, name="link-map"),
    path("link/<str:token>/report.pdf", links.link_report, name="link-report"),
    path("link/<str:token>/pack.zip", links.link_pack, name="link-pack"),
    path("robots.txt", links.robots, name="robots"),
]
urlpatterns = [
    path("people/", views.people, name="people"),
    path("people/give/", views.give_role, name="give-role"),
    path("people/<int:number>/take/", views.take_role, name="take-role"),
    path("people/hand-over/", views.hand_over, name="hand-over"),
    path("people/links/make/", views.make_link, name="make-link"),
    path("people/links/<int:number>/revoke/", views.revoke_link, name="revoke-link"),
]
