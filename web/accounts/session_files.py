"""Sessions as files, that bear a full disk: whoever is signed in stays so, and reads on."""

from __future__ import annotations

import errno
import logging

from django.contrib.sessions.backends import file

logger = logging.getLogger(__name__)


class SessionStore(file.SessionStore):
    """Django's, but that a session which is there already is left as it was where nothing can be written."""

    def save(self, must_create: bool = False) -> None:
        try:
            super().save(must_create)
        except OSError as wrong:
            if must_create or wrong.errno != errno.ENOSPC:
                raise
            logger.warning("a session could not be written: the disk is full")
