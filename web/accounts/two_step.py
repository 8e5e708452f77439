"""Two-step sign-in: six figures of an authenticator (RFC 6238) behind the password, or a recovery code once."""

from __future__ import annotations

import io
from base64 import b32encode
from typing import NamedTuple

import segno
from django.contrib.auth.models import User
from django.db import transaction
from django.utils.safestring import SafeString, mark_safe
from django_otp import devices_for_user, match_token
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

CODES = 10  # to get in with when the authenticator is gone


def is_on(user: User) -> bool:
    """Return whether a user has two-step sign-in."""
    return any(isinstance(device, TOTPDevice) for device in devices_for_user(user, confirmed=True))


def is_right(user: User, code: str) -> bool:
    """Return whether a code is the current one, or an unused recovery code. django-otp slows guessing."""
    return match_token(user, code) is not None


class Setting(NamedTuple):
    """The data to set up an authenticator: a picture for its camera, and the secret to type."""

    picture: SafeString
    secret: str


def to_set_up(user: User) -> Setting:
    """The authenticator that is being set up; the same one until it is confirmed."""
    device, _is_new = TOTPDevice.objects.get_or_create(user=user, confirmed=False, defaults={"name": "authenticator"})
    drawn = io.BytesIO()
    segno.make(device.config_url, error="m").save(
        drawn, kind="svg", omitsize=True, xmldecl=False, svgns=False, dark="#000", light="#fff"
    )
    secret = b32encode(device.bin_key).decode()
    return Setting(
        mark_safe(drawn.getvalue().decode()),  # noqa: S308 - drawn by the library, from numbers
        " ".join(secret[at : at + 4] for at in range(0, len(secret), 4)),
    )


@transaction.atomic
def confirm(user: User, code: str) -> list[str] | None:
    """Switches two-step sign-in on where the code is the authenticator's. The recovery codes; None where it is not."""
    device = TOTPDevice.objects.filter(user=user, confirmed=False).first()
    if device is None or not device.verify_token(code):
        return None
    TOTPDevice.objects.filter(user=user, confirmed=True).delete()
    TOTPDevice.objects.filter(pk=device.pk).update(confirmed=True)
    StaticDevice.objects.filter(user=user).delete()
    spare = StaticDevice.objects.create(user=user, name="recovery codes")
    codes = [StaticToken.random_token() for _ in range(CODES)]
    StaticToken.objects.bulk_create(StaticToken(device=spare, token=code) for code in codes)
    return codes


@transaction.atomic
def switch_off(user: User) -> None:
    """One step again."""
    TOTPDevice.objects.filter(user=user).delete()
    StaticDevice.objects.filter(user=user).delete()
