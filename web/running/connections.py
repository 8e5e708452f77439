"""The server's connections: many, each with a limit of time for its request and of bytes for its body.

A request uses a thread only once all of it has arrived. Without these limits a hundred idle pages or incomplete
requests blocked all other users, and any client could send gigabytes to the sign-in page.
"""

from __future__ import annotations

import resource
import time
from typing import Any

import waitress.channel
import waitress.parser
import waitress.server
from django.db import close_old_connections

from web.shared.bodies import OF_ANYBODY, most_bytes

MOST_CONNECTIONS = 4000
IDLE_S = 60  # that a kept connection may say nothing
HEADER_S = 15  # within which a request's head has to be whole
LEAST_BYTES_S = 2000  # minimum average rate of a body; a slow line in a train has ten times that
BODY_GRACE_S = 15  # before that is asked


class BoundedParser(waitress.parser.HTTPRequestParser):  # type: ignore[misc]
    """A request whose body is bounded by its address, as soon as its head is there."""

    adj: Any

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        if self.content_length > OF_ANYBODY or self.chunked:
            self.adj = _Bounded(self.adj, self._most())

    def _most(self) -> int:
        try:
            return most_bytes(self.path, self.headers.get("COOKIE", ""))
        finally:
            close_old_connections()


class _Bounded:
    """The server's adjustments, with another bound of the body."""

    def __init__(self, adjustments: Any, most: int) -> None:
        self._adjustments, self.max_request_body_size = adjustments, most

    def __getattr__(self, name: str) -> Any:
        return getattr(self._adjustments, name)


class TimedChannel(waitress.channel.HTTPChannel):  # type: ignore[misc]
    """A connection that is closed where a request does not come within its time.

    waitress closes connections without activity for `channel_timeout`; each byte counts as activity. Here a slow
    request counts as active only when it began.
    """

    parser_class = BoundedParser
    _began = 0.0

    def handle_read(self) -> None:
        had = self.request
        super().handle_read()
        now = time.time()
        if self.request is None or self.request is not had:
            self._began = now
        elif is_too_slow(self.request, now - self._began):
            self.last_activity = self._began - IDLE_S

    @property
    def is_overdue(self) -> bool:
        """Return whether a half request has had its time, also where nothing more comes of it."""
        return self.request is not None and not self.requests and is_too_slow(self.request, time.time() - self._began)


def is_too_slow(request: Any, seconds: float) -> bool:
    """Return whether a request that is not whole after so many seconds comes too slowly."""
    if not request.headers_finished:
        return seconds > HEADER_S
    return seconds > BODY_GRACE_S and request.body_bytes_received < LEAST_BYTES_S * seconds


class Server(waitress.server.TcpWSGIServer):  # type: ignore[misc]
    """The server with such connections."""

    channel_class = TimedChannel

    def maintenance(self, now: float) -> None:
        super().maintenance(now)
        for channel in self.active_channels.values():
            if channel.is_overdue:
                channel.will_close = True


def serve(application: Any, **options: Any) -> None:
    """As `waitress.serve`, with these connections."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MOST_CONNECTIONS + 500
    if soft != resource.RLIM_INFINITY and soft < wanted:
        most = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
        resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, most), hard))
    waitress.server.TcpWSGIServer = Server  # from `create_server`
    waitress.serve(
        application, connection_limit=MOST_CONNECTIONS, channel_timeout=IDLE_S, cleanup_interval=5, backlog=2048,
        asyncore_use_poll=True, **options,
    )  # fmt: skip
