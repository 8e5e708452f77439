"""Django's command line: `manage.py` in a source tree, `lattice-web` where the application is installed."""

import os
import sys

from django.core.exceptions import ImproperlyConfigured
from django.core.management import execute_from_command_line


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
    try:
        execute_from_command_line(sys.argv)
    except ImproperlyConfigured as wrong:  # of the environment, in one sentence
        sys.exit(f"Intact Lattice cannot start: {wrong}")
