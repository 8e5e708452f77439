"""All addresses of the application."""

from django.urls import include, path

import web.reuse.urls
import web.sharing.urls

urlpatterns = [
    path("", include("web.running.urls")),
    path("", include("web.accounts.urls")),
    path("", include("web.shelf.urls")),
    path("", include("web.bringing.urls")),
    path("", include(web.reuse.urls.shelf_urlpatterns)),
    path("", include(web.sharing.urls.shelf_urlpatterns)),
    path("t/<int:pk>/", include("web.reuse.urls")),
    path("t/<int:pk>/", include("web.editor.urls")),
    path("t/<int:pk>/", include("web.plans.urls")),
    path("t/<int:pk>/", include("web.bench.urls")),
    path("t/<int:pk>/", include("web.revisions.urls")),
    path("t/<int:pk>/", include("web.remarks.urls")),
    path("t/<int:pk>/", include("web.sharing.urls")),
]
handler400 = "web.shared.views.bad_request"
handler403 = "web.shared.views.forbidden"
handler404 = "web.shared.views.not_found"
handler500 = "web.shared.views.server_error"
