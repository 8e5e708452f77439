"""WSGI entry."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
application = get_wsgi_application()

# Documents are large, long-lived trees: objects from start-up are exempt from collection, the rest is collected less
# often.
gc.freeze()
gc.set_threshold(20_000, 20, 20)
