"""Mail to people about their own accounts, where this place can send any.

It is prepared and sent in a thread: the response time must not reveal accounts.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from smtplib import SMTPException

from django.conf import settings
from django.contrib.auth.forms import PasswordResetForm
from django.contrib.auth.models import User
from django.contrib.auth.tokens import PasswordResetTokenGenerator, default_token_generator
from django.core.mail import send_mail
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from web.accounts.models import Event, note
from web.accounts.names import name_of
from web.shared.jobs import queue

logger = logging.getLogger(__name__)
MAILER = ThreadPoolExecutor(1, "mail")
MOST_LINKS = 3  # of one account in an hour: more would only flood a mailbox


def can_send() -> bool:
    """Return whether this place can send mail."""
    return bool(settings.DEFAULT_FROM_EMAIL)


class MadeBy(PasswordResetTokenGenerator):
    """Tokens of links that an administrator made: void as soon as that one is switched off, or no administrator."""

    def __init__(self, by: User) -> None:
        super().__init__()
        self.by = by

    def _make_hash_value(self, user: User, timestamp: int) -> str:
        makes = self.by.is_active and self.by.is_staff
        return f"{super()._make_hash_value(user, timestamp)}{self.by.pk}{makes}"


def new_password_path(user: User, by: User | None = None) -> str:
    """The page for a new password; signing in or a new password makes the link void. `by` made the link."""
    generator = MadeBy(by) if by is not None else default_token_generator
    name = f"{user.pk}.{by.pk}" if by is not None else str(user.pk)
    return reverse("new-password", args=[urlsafe_base64_encode(force_bytes(name)), generator.make_token(user)])


def person_of_link(name: str) -> tuple[User | None, PasswordResetTokenGenerator]:
    """The account of a link, and the maker of tokens that checks it."""
    try:
        numbers = [int(number) for number in urlsafe_base64_decode(name).decode("ascii").split(".")]
        user, *makers = (User.objects.get(pk=number) for number in numbers[:2])
    except (ValueError, OverflowError, User.DoesNotExist):
        return None, default_token_generator
    return user, MadeBy(makers[0]) if makers else default_token_generator


def send_links(address: str, root: str) -> None:
    """Sends a link for a new password to every account with this address, if there is one. `root` is this place's."""
    _in_background(_send_links, address, root.rstrip("/"))


def notify(user: User, happened: str, address: str = "") -> None:
    """Notify a user of a change to their account, at their old or current address."""
    to = address or user.email
    if can_send() and to:
        text = render_to_string("accounts/mail_happened.txt", {"user": user, "happened": happened})
        _in_background(_send, user, to, f"Your {happened}", text)


def _in_background(work: Callable[..., None], *given: object) -> None:
    if queue.immediate:
        work(*given)
    else:
        MAILER.submit(_told, work, *given)


def _told(work: Callable[..., None], *given: object) -> None:
    """Exceptions of a thread are lost otherwise."""
    try:
        work(*given)
    except Exception:
        logger.exception("mail")


def _send_links(address: str, root: str) -> None:
    for user in PasswordResetForm().get_users(address):
        words = f"a password link was sent to {name_of(user)}"
        since = timezone.now() - timedelta(hours=1)
        if Event.objects.filter(kind=Event.LINK, user=user, words=words, at__gt=since).count() >= MOST_LINKS:
            continue
        note(Event.LINK, user, words)
        link = root + new_password_path(user)
        _send(
            user, user.email, "Password reset", render_to_string("accounts/mail_link.txt", {"user": user, "link": link})
        )


def _send(user: User, to: str, subject: str, text: str) -> None:
    """Send one; a failure is shown on the administrator's page."""
    try:
        send_mail(f"{subject} – Intact Lattice", text, None, [to])
    except (OSError, SMTPException) as wrong:
        logger.warning("e-mail was not sent: %s", type(wrong).__name__)
        note(Event.FAILED, user, f"e-mail to {name_of(user)} was not sent: {type(wrong).__name__}")
