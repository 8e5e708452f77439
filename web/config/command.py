"""Django's command line: `manage.py` in a source tree, `lattice-web` where the application is installed."""

import os
import sys

from django.core.management import execute_from_command_line


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.config.settings")
    execute_from_command_line(sys.argv)
