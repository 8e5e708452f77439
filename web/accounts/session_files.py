"""Sessions as files, for a full disk: signed-in users stay signed in and can read."""

from __future__ import annotations

import errno
import logging
from typing import Any

from django.contrib.sessions.backends import file

logger = logging.getLogger(__name__)


_held: dict[str, dict[str, Any]] = {}  # sessions begun while the disk was full: they last as long as the server runs
MOST_HELD = 1000


class SessionStore(file.SessionStore):
    """Django's; if writing fails, an existing session is unchanged, and a new one stays in memory."""

    def save(self, must_create: bool = False) -> None:
        try:
            super().save(must_create)
        except OSError as wrong:
            if wrong.errno != errno.ENOSPC:
                raise
            logger.warning("the session was not written: the disk is full")
            key = self.session_key
            if key and (must_create or key in _held):
                _held[key] = dict(self._get_session(no_load=must_create))  # type: ignore[attr-defined]
                while len(_held) > MOST_HELD:
                    del _held[next(iter(_held))]

    def load(self) -> dict[str, Any]:
        key = self.session_key
        if key in _held:
            return dict(_held[key])
        found: dict[str, Any] = super().load()
        return found

    def exists(self, session_key: str) -> bool:
        return session_key in _held or bool(super().exists(session_key))

    def delete(self, session_key: str | None = None) -> None:
        _held.pop(session_key or self.session_key or "", None)
        super().delete(session_key)
