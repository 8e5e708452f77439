"""Settings from the environment. An error there is one sentence at start-up."""

from __future__ import annotations

import os
import secrets
from dataclasses import dataclass, field
from email.utils import parseaddr
from ipaddress import ip_address
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured, ValidationError
from django.core.validators import validate_email

LOCAL = {"127.0.0.1", "localhost", "[::1]", "testserver"}
LEAST_SECRET = 50  # characters
MAIL_PORTS = {"starttls": 587, "tls": 465, "none": 25}  # RFC 6409, RFC 8314, RFC 5321


def is_set(name: str, otherwise: str = "") -> bool:
    """Return whether a switch is on: 1 or 0, and nothing else."""
    value = os.environ.get(name, otherwise)
    if value not in ("", "0", "1"):
        raise ImproperlyConfigured(f"{name} is “{value}”; 1 (on) and 0 (off) are allowed")
    return value == "1"


def whole(name: str, otherwise: int, least: int = 1) -> int:
    """A whole number."""
    value = os.environ.get(name, str(otherwise))
    if not value.isdecimal() or int(value) < least:
        raise ImproperlyConfigured(f"{name} is “{value}”; a whole number of at least {least} is allowed")
    return int(value)


def names(name: str, otherwise: str) -> list[str]:
    """Names between commas."""
    found = [one.strip() for one in os.environ.get(name, otherwise).split(",") if one.strip()]
    if not found:
        raise ImproperlyConfigured(f"{name} is empty; remove it, or list user names with commas")
    return found


def hosts() -> list[str]:
    """Under which names the application answers."""
    found = names("LATTICE_HOSTS", "127.0.0.1,localhost,[::1]")
    if "*" in found:
        raise ImproperlyConfigured("LATTICE_HOSTS is “*”; list the hosts, so that links cannot lead to other sites")
    return found


def proxy() -> str:
    """The address of the proxy that is believed about the addresses of others; empty where there is none."""
    value = os.environ.get("LATTICE_PROXY", "")
    try:
        return str(ip_address(value)) if value else ""
    except ValueError:
        raise ImproperlyConfigured(
            f"LATTICE_PROXY is “{value}”; an IP address is allowed, for example 127.0.0.1"
        ) from None


@dataclass(frozen=True)
class Mail:
    """Sender and server of mail; none without a host name."""

    sender: str
    host: str
    port: int
    user: str
    password: str = field(repr=False)
    security: str


def mail() -> Mail:
    """How mail is sent."""
    host, sender = os.environ.get("LATTICE_MAIL_HOST", ""), os.environ.get("LATTICE_MAIL_FROM", "")
    security = os.environ.get("LATTICE_MAIL_SECURITY", "starttls")
    if bool(host) != bool(sender):
        raise ImproperlyConfigured("LATTICE_MAIL_HOST and LATTICE_MAIL_FROM go together; set both, or neither")
    if sender:
        try:
            validate_email(parseaddr(sender)[1])
        except ValidationError:
            raise ImproperlyConfigured(f"LATTICE_MAIL_FROM is “{sender}”; an e-mail address is allowed") from None
    if security not in MAIL_PORTS:
        raise ImproperlyConfigured(f"LATTICE_MAIL_SECURITY is “{security}”; {', '.join(MAIL_PORTS)} are allowed")
    port = whole("LATTICE_MAIL_PORT", MAIL_PORTS[security])
    user, password = os.environ.get("LATTICE_MAIL_USER", ""), os.environ.get("LATTICE_MAIL_PASSWORD", "")
    return Mail(sender, host, port, user, password, security)


def data_folder(root: Path) -> Path:
    """The data folder: `var` beside a source tree; the system's state folder for an installation."""
    if given := os.environ.get("LATTICE_VAR"):
        folder = Path(given)
    elif (root / "pyproject.toml").exists():
        folder = root / "var"
    else:
        folder = Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "intact-lattice"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as wrong:
        raise ImproperlyConfigured(f"the data folder {folder} cannot be created: {wrong.strerror}") from None
    if not os.access(folder, os.W_OK | os.X_OK):
        raise ImproperlyConfigured(f"this account cannot write to the data folder {folder}")
    return folder


def private(path: Path) -> Path:
    """A file that only this account may read, made where it is not there yet."""
    try:
        os.close(os.open(path, os.O_CREAT, 0o600))
        path.chmod(0o600)
    except OSError as wrong:
        raise ImproperlyConfigured(f"{path} cannot be created as a private file: {wrong.strerror}") from None
    return path


def secret(folder: Path) -> str:
    """The key that signs sessions and links: given, or created once a machine and stored beside the database."""
    given = os.environ.get("LATTICE_SECRET")
    if given is None:
        path = private(folder / "secret")
        if not path.read_text():
            path.write_text(secrets.token_urlsafe(LEAST_SECRET))
        return path.read_text()
    if len(given) < LEAST_SECRET:
        raise ImproperlyConfigured(f"LATTICE_SECRET has {len(given)} characters; at least {LEAST_SECRET} are required")
    return given


def is_public(named: list[str]) -> bool:
    """Return whether the application answers under a name that others than this machine reach."""
    return bool(set(named) - LOCAL)
