"""WSGI entry."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
application = get_wsgi_application()

# Documents are large trees that live long: what is there after start is left alone, and the rest looked at less often.
gc.freeze()
gc.set_threshold(20_000, 20, 20)
