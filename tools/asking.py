"""Common parts of scripts with simulated users on the real server: a data folder, cookies and requests."""

from __future__ import annotations

import http.client
import os
import re
from typing import Any
from urllib.parse import urlencode


def set_up(folder: str) -> None:
    """A new data folder with an empty database, for this process and those that it starts."""
    os.environ |= {"LATTICE_VAR": folder, "DJANGO_SETTINGS_MODULE": "web.config.settings"}
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)


def cookie_of(user: Any) -> str:
    """The cookie of a signed-in user."""
    from django.conf import settings
    from django.test import Client

    client = Client()
    client.force_login(user)
    return f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"


class Person:
    """A user's requests, on a persistent connection, opened again after a failure."""

    def __init__(self, address: tuple[str, int], cookie: str = "") -> None:
        self.cookie, self.token = cookie, ""
        self.connection = http.client.HTTPConnection(*address, timeout=60)

    def ask(
        self, path: str, form: dict[str, Any] | None = None, body: bytes | None = None, kind: str = ""
    ) -> tuple[int, str]:
        """Status and text of an answer; a form or a body is posted. Raises OSError where there is no server."""
        headers = {"Cookie": self.cookie, "X-CSRFToken": self.token}
        if form is not None:
            body, kind = urlencode(form).encode(), "application/x-www-form-urlencoded"
            headers["HX-Request"] = "true"
        if kind:
            headers["Content-Type"] = kind
        try:
            self.connection.request("POST" if body is not None else "GET", path, body, headers)
            answer = self.connection.getresponse()
            text = answer.read().decode(errors="replace")
        except (OSError, http.client.HTTPException):
            self.connection.close()
            raise
        for name, value in answer.getheaders():
            if name.lower() == "set-cookie" and value.startswith("csrftoken="):
                self.cookie = re.sub(r"; csrftoken=[^;]*", "", self.cookie) + "; " + value.split(";")[0]
        found = re.search(r'"X-CSRFToken": "(\w+)"', text)
        self.token = found[1] if found else self.token
        return answer.status, text


def version_in(page: str) -> int:
    """The version of the template that a page or an answer shows; 0 for none."""
    found = re.search(r'data-version="(\d+)"', page)
    return int(found[1]) if found else 0
