"""Settings of a process that is killed: the test's own database."""

import os

from web.config.settings import *  # noqa: F403
from web.config.settings import DATABASES

DATABASES["default"]["NAME"] = os.environ["KILLED_DATABASE"]
