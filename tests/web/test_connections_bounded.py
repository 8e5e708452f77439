"""Clients without an account: idle pages and incomplete requests block no user, no body is read in vain."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator

import pytest
import waitress.server
from django.conf import settings as django_settings
from django.contrib.auth.models import User
from django.test import Client
from waitress.adjustments import Adjustments

from web.people.roles import Role
from web.running import connections
from web.running.connections import BoundedParser, Server
from web.shared.bodies import AROUND, OF_ANYBODY, most_bytes
from web.shelf.models import Share, StoredTemplate

FILE = django_settings.LARGEST_FILE + AROUND
FORM = django_settings.DATA_UPLOAD_MAX_MEMORY_SIZE + AROUND


def cookie_of(client: Client) -> str:
    return f"{django_settings.SESSION_COOKIE_NAME}={client.cookies[django_settings.SESSION_COOKIE_NAME].value}"


ROWS = [
    ("/sign-in/", None, OF_ANYBODY), ("/t/{pk}/write/spread/", None, OF_ANYBODY), ("/import/", None, OF_ANYBODY), ("/nowhere/", "owner", OF_ANYBODY),
    ("/t/{pk}/write/spread/", "owner", FORM), ("/account/", "owner", FORM), ("/import/", "owner", 65 * 1024**2), ("/recordings/1/file/", "owner", FILE),
    ("/t/{pk}/bench/readings/1/file/", "owner", FILE), ("/t/{pk}/bench/readings/1/file/", "reader", OF_ANYBODY), ("/t/{pk}/bench/readings/1/file/", "stranger", OF_ANYBODY),
    ("/t/{pk}/bench/tone/run/", "owner", FILE), ("/t/{pk}/import/", "reader", OF_ANYBODY),
]  # fmt: skip


@pytest.mark.parametrize(("path", "who", "most"), ROWS, ids=[f"{path} {who}" for path, who, _most in ROWS])
def test_how_much_an_address_may_be_sent(
    stored: StoredTemplate, owner: User, path: str, who: str | None, most: int
) -> None:
    person = owner if who == "owner" else User.objects.create_user("other")
    if who == "reader":
        Share.objects.create(template=stored, user=person, role=Role.READER)
    client = Client()
    client.force_login(person)
    assert most_bytes(path.format(pk=stored.pk), cookie_of(client) if who else "") == most


@pytest.mark.parametrize("cookies", ["sessionid=nobody", "sessionid=../../etc/passwd", "a=b; =;", "sessionid"])
def test_a_made_up_session_is_nobodys(db: None, cookies: str) -> None:
    assert most_bytes("/import/", cookies) == OF_ANYBODY


@pytest.mark.parametrize("length", [b"Content-Length: 300000000", b"Transfer-Encoding: chunked"])
def test_a_body_to_the_sign_in_page_is_refused_at_its_head_or_as_it_grows(db: None, length: bytes) -> None:
    parser = BoundedParser(Adjustments(max_request_body_size=FILE))
    parser.received(b"POST /sign-in/ HTTP/1.1\r\nHost: x\r\n" + length + b"\r\n\r\n")
    sent = 0
    while not parser.completed:
        piece = b"10000\r\n" + b"x" * 65536 + b"\r\n"
        parser.received(piece)
        sent += 65536
    parser.close()
    assert parser.error.code == 413
    assert sent <= OF_ANYBODY + 65536


@pytest.fixture
def address(monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[str, int]]:
    """The server with a small application, and little patience."""
    monkeypatch.setattr(connections, "HEADER_S", 0.5)
    monkeypatch.setattr(connections, "BODY_GRACE_S", 0.5)

    def application(_environ: object, start):  # type: ignore[no-untyped-def]
        start("200 OK", [("Content-Length", "2")])
        return [b"ok"]

    server = Server(
        application,
        host="127.0.0.1",
        port=0,
        threads=2,
        connection_limit=1000,
        channel_timeout=60,
        cleanup_interval=1,
        asyncore_use_poll=True,
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield "127.0.0.1", server.effective_port
    server.close()
    server.task_dispatcher.shutdown()


def answer(address: tuple[str, int]) -> bytes:
    with socket.create_connection(address, timeout=10) as asking:
        asking.sendall(b"GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n")
        return b"".join(iter(lambda: asking.recv(4096), b""))


def test_others_are_answered_beside_idle_connections_and_half_requests(address: tuple[str, int]) -> None:
    held = [socket.create_connection(address, timeout=10) for _ in range(200)]
    for half in held[:100]:
        half.sendall(b"POST /sign-in/ HTTP/1.1\r\nHost: x\r\nX-Half: ")
    begun = time.monotonic()
    assert answer(address).endswith(b"ok")
    assert time.monotonic() - begun < 5
    for one in held:
        one.close()


@pytest.mark.parametrize(
    "half",
    [b"GET / HTTP/1.1\r\nHost: x\r\nX-Half: ", b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\nx"],
    ids=["head", "body"],
)
def test_a_half_request_is_ended(address: tuple[str, int], half: bytes) -> None:
    """Also one that sends a byte now and then."""
    with socket.create_connection(address, timeout=20) as asking:
        asking.sendall(half)
        begun = time.monotonic()
        while not is_ended(asking):
            assert time.monotonic() - begun < 20
            time.sleep(0.1)


def is_ended(asking: socket.socket) -> bool:
    """Sends one byte more, and looks whether the other side has closed."""
    asking.setblocking(False)
    try:
        asking.send(b"x")
        return asking.recv(1) == b""
    except BlockingIOError:
        return False
    except OSError:
        return True


def test_create_server_makes_ours(monkeypatch: pytest.MonkeyPatch) -> None:
    called = {}
    monkeypatch.setattr("waitress.serve", lambda application, **options: called.update(options))
    monkeypatch.setattr(waitress.server, "TcpWSGIServer", waitress.server.TcpWSGIServer)
    connections.serve(object(), listen="127.0.0.1:0")
    assert waitress.server.TcpWSGIServer is Server
    assert called["connection_limit"] >= 2000


def test_a_head_has_no_body(signed_in: Client, stored: StoredTemplate) -> None:
    for path in ("/", f"/t/{stored.pk}/map/", f"/t/{stored.pk}/export.json", "/sign-in/"):
        got, head = signed_in.get(path), signed_in.head(path)
        if got.status_code == 200:
            assert (head.status_code, head.getvalue()) == (200, b"")
