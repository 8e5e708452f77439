"""Accounts: invitations, passwords, throttled and two-step sign-in, sessions that end, the administrator's page."""

from __future__ import annotations

import re
from datetime import timedelta
from time import time
from typing import Any

import pytest
from axes.models import AccessAttempt
from django.contrib.auth.models import User
from django.contrib.auth.tokens import default_token_generator
from django.core import mail
from django.db.models import F
from django.test import Client
from django.utils import timezone
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode
from django_otp.oath import totp
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

from tests.web.pages import without_tokens
from web.accounts import throttle, two_step
from web.accounts.mail import MOST_LINKS, new_password_path
from web.accounts.models import Event, Invitation

PASSWORD = "tide and glass 7"  # noqa: S105 - of nobody
NEW = {"username": "lock", "first_name": "H.", "last_name": "Lock", "password1": PASSWORD, "password2": PASSWORD}


@pytest.fixture
def admin(db: None, client: Client) -> Client:
    client.force_login(User.objects.create_user("runs", is_staff=True, first_name="R.", last_name="Uns"))
    return client


def invited(**fields: Any) -> str:
    made, token = Invitation.make(None, "H. Lock")
    Invitation.objects.filter(pk=made.pk).update(**fields)
    return f"/invitation/{token}/"


def is_in(client: Client) -> bool:
    return client.get("/").status_code == 200


# permissions


@pytest.mark.parametrize(
    ("address", "method", "nobody", "person", "administrator"),
    [
        ("/sign-in/", "get", 200, 302, 302),
        ("/sign-in/code/", "get", 302, 302, 302),
        ("/sign-in/nonsense/", "get", 404, 404, 404),
        ("/invitation/guessed/", "get", 404, 404, 404),
        ("/new-password/", "get", 200, 200, 200),
        ("/new-password/Mg/guessed/", "get", 200, 200, 200),  # says that the link is not good
        ("/account/", "get", 302, 200, 200),
        ("/account/sign-out-everywhere/", "post", 302, 302, 302),
        ("/account/two-step/", "get", 302, 200, 200),
        ("/account/two-step/off/", "post", 302, 422, 422),
        ("/administration/", "get", 302, 404, 200),
        ("/administration/invite/", "post", 302, 404, 422),
        ("/administration/invitations/1/withdraw/", "post", 302, 404, 404),
        ("/administration/people/999/reset/", "post", 302, 404, 404),
        ("/administration/people/999/change/", "post", 302, 404, 404),
    ],
)
def test_who_may_open_what(db: None, address: str, method: str, nobody: int, person: int, administrator: int) -> None:
    for user, expected in (
        (None, nobody),
        (User.objects.create_user("one"), person),
        (User.objects.create_user("admin", is_staff=True), administrator),
    ):
        client = Client()
        if user is not None:
            client.force_login(user)
        assert getattr(client, method)(address).status_code == expected, user


# invitations


def test_an_invitation_makes_one_account_and_signs_it_in(db: None) -> None:
    address, client = invited(), Client()
    assert client.get(address).status_code == 200
    assert client.post(address, NEW)["Location"] == "/"
    assert is_in(client)
    lock = User.objects.get(username="lock")
    assert (lock.get_full_name(), lock.is_staff, lock.check_password(PASSWORD)) == ("H. Lock", False, True)
    again = Client().post(address, {**NEW, "username": "second"})
    assert (again.status_code, "was used" in again.content.decode()) == (410, True)
    assert User.objects.count() == 1


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"used_at": timezone.now()}, "was used"),
        ({"withdrawn_at": timezone.now()}, "was withdrawn"),
        ({"at": timezone.now() - timedelta(days=7, seconds=1)}, "expired after 7 days"),
    ],
)
def test_an_invitation_that_is_not_good_any_more_says_why(db: None, fields: dict[str, Any], words: str) -> None:
    address = invited(**fields)
    for answer in (Client().get(address), Client().post(address, NEW)):
        assert (answer.status_code, words in answer.content.decode()) == (410, True)
    assert not User.objects.exists()


def test_of_an_invitation_only_the_digest_is_kept(admin: Client) -> None:
    page = admin.post("/administration/invite/", {"note": "H. Lock"}, follow=True).content.decode()
    (token,) = re.findall(r"/invitation/([\w-]+)/", page)
    assert token not in str(Invitation.objects.values())
    assert token not in admin.get("/administration/").content.decode()
    assert Client().get(f"/invitation/{token}/").status_code == 200
    admin.post(f"/administration/invitations/{Invitation.objects.get().pk}/withdraw/")
    assert Client().get(f"/invitation/{token}/").status_code == 410


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"username": "OWNER"}, "already exists"),
        ({"username": "two words"}, "Enter a valid username"),
        ({"username": "n" * 500}, "at most 150 characters"),
        ({"password1": "password", "password2": "password"}, "at least 12 characters"),
        ({"password1": "passwordpassword", "password2": "passwordpassword"}, ""),
        ({"password1": "x" * 129, "password2": "x" * 129}, "has 129 characters; at most 128"),
        ({"password1": "administrator1", "password2": "administrator2"}, "match"),
        ({"username": "harbour-master", "password1": "harbour-master", "password2": "harbour-master"}, "too similar"),
        ({"password1": "123456789012", "password2": "123456789012"}, "entirely numeric"),
    ],
)
def test_what_is_no_account_and_why(db: None, owner: User, fields: dict[str, str], words: str) -> None:
    answer = Client().post(invited(), {**NEW, **fields})
    if words:
        assert (answer.status_code, words in answer.content.decode()) == (422, True)
    assert User.objects.count() == (1 if words else 2)


# signing in


def sign_in(client: Client, password: str = PASSWORD, name: str = "lock") -> Any:
    return client.post("/sign-in/", {"username": name, "password": password})


@pytest.fixture
def lock(db: None) -> User:
    return User.objects.create_user("lock", password=PASSWORD, first_name="H.", last_name="Lock")


def test_wrong_passwords_are_slowed_where_they_come_from_and_nobody_else_is(lock: User) -> None:
    answers = [sign_in(Client(REMOTE_ADDR="192.0.2.7"), "wrong").status_code for _n in range(20)]
    assert answers[:14] == [200] * 14
    assert answers[15:] == [429] * 5
    slowed = sign_in(Client(REMOTE_ADDR="192.0.2.7"))
    assert (slowed.status_code, "Try again in 15 minutes" in slowed.content.decode()) == (429, True)
    assert sign_in(Client(REMOTE_ADDR="192.0.2.99")).status_code == 302, "anybody could lock anybody out"


def test_one_address_is_slowed_over_all_accounts(db: None) -> None:
    for number in range(31):
        User.objects.create_user(f"one{number}", password=PASSWORD)
    answers = [sign_in(Client(), "wrong", f"one{number}").status_code for number in range(31)]
    assert (answers[28], answers[-1]) == (200, 429)
    assert sign_in(Client(REMOTE_ADDR="192.0.2.1"), name="one3").status_code == 302


def test_a_name_is_slowed_from_everywhere_but_not_where_it_has_signed_in_before(
    lock: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(throttle, "OF_NAME", 30)
    own = Client(REMOTE_ADDR="192.0.2.200")
    assert sign_in(own).status_code == 302
    own.post("/sign-out/")
    for number in range(11):
        for _time in range(3):
            sign_in(Client(REMOTE_ADDR=f"192.0.2.{number}"), "wrong")
    assert sign_in(Client(REMOTE_ADDR="192.0.2.150")).status_code == 429
    assert sign_in(own).status_code == 302
    forged = Client(REMOTE_ADDR="192.0.2.151")
    forged.cookies["known"] = str(lock.pk)
    assert sign_in(forged).status_code == 429


def test_a_failure_during_the_lock_does_not_lengthen_it(lock: User) -> None:
    """Fifteen wrong passwords, and then one each quarter of an hour, kept an account locked for ever."""
    for _n in range(15):
        sign_in(Client(), "wrong")
    AccessAttempt.objects.update(attempt_time=F("attempt_time") - timedelta(minutes=14))
    assert sign_in(Client(), "wrong").status_code == 429
    AccessAttempt.objects.update(attempt_time=F("attempt_time") - timedelta(minutes=2))
    assert sign_in(Client()).status_code == 302


def test_sign_ins_are_put_down_and_a_password_in_the_wrong_field_is_not(lock: User) -> None:
    sign_in(Client(), "wrong")
    sign_in(Client(), "x", name="my secret words")
    sign_in(Client())
    said = list(Event.objects.order_by("pk").values_list("kind", "words", "address"))
    assert said == [
        ("failed", "wrong password for H. Lock", "127.0.0.1"),
        ("failed", "an unknown user name", "127.0.0.1"),
        ("sign-in", "H. Lock signed in", "127.0.0.1"),
    ]


def test_passwords_are_hashed_by_argon2(settings: Any, django_user_model: type) -> None:
    from web.config import settings as ours

    settings.PASSWORD_HASHERS = ours.PASSWORD_HASHERS
    assert User(password="").password == ""
    user = User(username="x")
    user.set_password(PASSWORD)
    assert user.password.startswith("argon2$argon2id$")


def test_two_steps_ask_for_a_code_and_a_recovery_code_works_once(lock: User) -> None:
    client = Client()
    sign_in(client)
    assert "svg" in client.get("/account/two-step/").content.decode()
    device = TOTPDevice.objects.get()
    assert client.post("/account/two-step/", {"code": "000000", "password": PASSWORD}).status_code == 422
    TOTPDevice.objects.update(throttling_failure_count=0, throttling_failure_timestamp=None)
    code = f"{totp(device.bin_key):06}"
    assert client.post("/account/two-step/", {"code": code, "password": "wrong"}).status_code == 422
    page = client.post("/account/two-step/", {"code": code, "password": PASSWORD}).content.decode()
    codes = re.findall(r"<li>(\w+)</li>", page)
    assert len(codes) == two_step.CODES
    other = Client()
    assert sign_in(other)["Location"] == "/sign-in/code/"
    assert not is_in(other), "the password alone opens nothing"
    assert other.post("/sign-in/code/", {"code": codes[0]})["Location"] == "/"
    assert is_in(other)
    third = Client()
    sign_in(third)
    assert third.post("/sign-in/code/", {"code": codes[0]}).status_code == 422
    assert third.post("/sign-in/code/", {"code": codes[1]}).status_code == 422, "guessing is slowed"
    assert client.post("/account/two-step/off/", {"password": "wrong"}).status_code == 422
    assert two_step.is_on(lock)
    client.post("/account/two-step/off/", {"password": PASSWORD})
    assert sign_in(Client())["Location"] == "/"


def test_the_second_step_is_replaced_with_password_and_code_alone_and_told(lock: User, box: list[Any]) -> None:
    client = Client()
    sign_in(client)
    client.get("/account/two-step/")
    first = TOTPDevice.objects.get(user=lock)
    client.post("/account/two-step/", {"code": f"{totp(first.bin_key):06}", "password": PASSWORD})
    spare = list(StaticToken.objects.values_list("token", flat=True))
    page = client.get("/account/two-step/").content.decode()
    assert "recovery code" in page
    second = TOTPDevice.objects.get(user=lock, confirmed=False)
    given = {"code": f"{totp(second.bin_key):06}", "password": PASSWORD, "present": spare[0]}
    for missing in ("password", "present"):
        assert client.post("/account/two-step/", {**given, missing: ""}).status_code == 422
        assert client.post("/account/two-step/", {**given, missing: "wrong"}).status_code == 422
        StaticDevice.objects.update(throttling_failure_count=0, throttling_failure_timestamp=None)
        TOTPDevice.objects.update(throttling_failure_count=0, throttling_failure_timestamp=None)
    assert TOTPDevice.objects.get(user=lock, confirmed=True) == first
    assert client.post("/account/two-step/", given).status_code == 200
    assert TOTPDevice.objects.get(user=lock, confirmed=True).pk == second.pk
    assert "two-step sign-in was replaced" in box[-1].subject


@pytest.mark.parametrize("change", [{"is_active": False}, {"is_staff": False}])
def test_links_of_who_is_no_administrator_any_more_are_void(lock: User, change: dict[str, bool]) -> None:
    by = User.objects.create_user("admin", is_staff=True)
    _made, token = Invitation.make(by, "somebody")
    path = new_password_path(lock, by)
    client = Client()
    assert client.get(f"/invitation/{token}/").status_code == 200
    assert client.get(path).status_code == 302
    User.objects.filter(pk=by.pk).update(**change)
    assert client.get(f"/invitation/{token}/").status_code == 410
    assert "This link was used" in Client().get(path).content.decode()
    assert Client().get(new_password_path(lock)).status_code == 302


def test_the_second_step_is_taken_within_five_minutes(lock: User) -> None:
    TOTPDevice.objects.create(user=lock, name="x", confirmed=True)
    client = Client()
    sign_in(client)
    session = client.session
    session["first-step"] = [lock.pk, int(time()) - 301, "/"]
    session.save()
    assert client.get("/sign-in/code/")["Location"] == "/sign-in/"


# sessions and passwords


@pytest.mark.parametrize(
    ("began", "seen", "stays"),
    [(0, 0, True), (13 * 86400, 60, True), (14 * 86400 + 1, 60, False), (13 * 3600, 12 * 3600 + 1, False)],
)
def test_a_session_ends_by_age_and_when_it_is_left_alone(lock: User, began: int, seen: int, stays: bool) -> None:
    client = Client()
    sign_in(client)
    session = client.session
    session["began"], session["seen"] = int(time()) - began, int(time()) - seen
    session.save()
    assert is_in(client) is stays


def test_what_an_open_page_asks_by_itself_keeps_no_session_alive(signed_in: Client, stored: Any) -> None:
    session = signed_in.session
    session["began"] = session["seen"] = int(time()) - 3600
    session.save()
    signed_in.get(f"/t/{stored.pk}/news/")
    assert signed_in.session["seen"] < time() - 3000
    signed_in.get(f"/t/{stored.pk}/map/")
    assert signed_in.session["seen"] > time() - 60


def test_signing_out_everywhere_and_a_new_password_end_the_other_sessions(lock: User) -> None:
    here, there = Client(), Client()
    for client in (here, there):
        sign_in(client)
    here.post("/account/sign-out-everywhere/")
    assert (is_in(here), is_in(there)) == (True, False)
    sign_in(there)
    wrong = here.post(
        "/account/", {"what": "password", "old_password": "x", "new_password1": "y", "new_password2": "y"}
    )
    assert wrong.status_code == 422
    changed = {
        "what": "password",
        "old_password": PASSWORD,
        "new_password1": "glass and tide 8",
        "new_password2": "glass and tide 8",
    }
    assert here.post("/account/", changed).status_code == 200
    assert (is_in(here), is_in(there)) == (True, False)


def test_a_link_for_a_new_password_works_once(admin: Client, lock: User) -> None:
    page = admin.post(f"/administration/people/{lock.pk}/reset/", follow=True).content.decode()
    (path,) = re.findall(r"http://testserver(/new-password/[\w/-]+/)", page)
    client = Client()
    form = client.get(path)["Location"]
    assert client.post(form, {"new_password1": "short", "new_password2": "short"}).status_code == 200
    assert (
        client.post(form, {"new_password1": "glass and tide 8", "new_password2": "glass and tide 8"}).status_code == 302
    )
    lock.refresh_from_db()
    assert lock.check_password("glass and tide 8")
    assert "was used" in Client().get(path).content.decode()
    forged = (
        f"/new-password/{urlsafe_base64_encode(force_bytes(lock.pk))}/{default_token_generator.make_token(lock)[:-1]}x/"
    )
    assert "was used" in Client().get(forged).content.decode()


# mail


@pytest.fixture
def box(at_once: None, settings: Any, lock: User) -> list[Any]:
    """The mails sent, by a server with mail, if the user has an address."""
    settings.DEFAULT_FROM_EMAIL = "lattice@example.org"
    User.objects.filter(pk=lock.pk).update(email="lock@example.org")
    return mail.outbox


def asked(address: str) -> str:
    answer = Client().post("/new-password/", {"email": address})
    assert answer.status_code == 200
    return without_tokens(answer.content)


def test_a_link_comes_by_mail_and_the_page_does_not_tell_who_has_an_account(box: list[Any], lock: User) -> None:
    assert asked("Lock@example.org") == asked("nobody@example.org")
    (letter,) = box
    assert (letter.to, letter.from_email) == (["lock@example.org"], "lattice@example.org")
    (path,) = re.findall(r"^http://testserver(/new-password/\S+)$", letter.body, re.MULTILINE)
    client = Client()
    client.post(
        client.get(path)["Location"], {"new_password1": "glass and tide 8", "new_password2": "glass and tide 8"}
    )
    lock.refresh_from_db()
    assert lock.check_password("glass and tide 8")
    assert "was used" in Client().get(path).content.decode()
    assert [letter.subject for letter in box[1:]] == ["Your password was changed by reset link – Intact Lattice"]


def test_links_by_mail_are_few_and_none_for_whoever_is_switched_off(box: list[Any], lock: User) -> None:
    for _ in range(MOST_LINKS + 2):
        asked("lock@example.org")
    assert len(box) == MOST_LINKS
    Event.objects.all().delete()
    User.objects.filter(pk=lock.pk).update(is_active=False)
    asked("lock@example.org")
    assert len(box) == MOST_LINKS


def test_another_address_needs_the_password_and_the_old_one_is_told(box: list[Any], lock: User) -> None:
    here = Client()
    sign_in(here)
    form = {"what": "mail", "email": "elsewhere@example.org", "password": "guessed it all"}
    assert here.post("/account/", form).status_code == 422
    lock.refresh_from_db()
    assert (lock.email, box) == ("lock@example.org", [])
    assert here.post("/account/", form | {"password": PASSWORD}).status_code == 200
    lock.refresh_from_db()
    assert lock.email == "elsewhere@example.org"
    assert [(letter.to, letter.subject[:31]) for letter in box] == [
        (["lock@example.org"], "Your e-mail address was changed")
    ]


def test_mail_that_cannot_be_sent_stands_on_the_administrator_s_page(
    box: list[Any], admin: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refused(*_given: Any, **_named: Any) -> None:
        raise ConnectionRefusedError

    monkeypatch.setattr("web.accounts.mail.send_mail", refused)
    asked("lock@example.org")
    assert "e-mail to H. Lock was not sent: ConnectionRefusedError" in admin.get("/administration/").content.decode()


def test_where_no_mail_is_sent_the_page_says_whom_to_ask(at_once: None, lock: User) -> None:
    User.objects.filter(pk=lock.pk).update(email="lock@example.org")
    assert "Ask an administrator" in asked("lock@example.org")
    assert mail.outbox == []


# the administrator's page


def test_an_account_is_switched_off_and_what_it_made_stays(
    admin: Client, signed_in: Client, stored: Any, owner: User
) -> None:
    browser = Client()
    browser.force_login(owner)
    admin.force_login(User.objects.get(username="runs"))
    admin.post(f"/administration/people/{owner.pk}/change/", {"what": "off"})
    assert not is_in(browser)
    stored.refresh_from_db()
    assert stored.deleted_at is None
    admin.post(f"/administration/people/{owner.pk}/change/", {"what": "on"})
    assert sign_in(Client(), "a long password", "owner").status_code == 302


@pytest.mark.parametrize("what", ["off", "plain"])
def test_somebody_stays_administrator(admin: Client, what: str) -> None:
    runs = User.objects.get(username="runs")
    answer = admin.post(f"/administration/people/{runs.pk}/change/", {"what": what})
    assert (answer.status_code, "Make another account administrator first" in answer.content.decode()) == (422, True)
    runs.refresh_from_db()
    assert runs.is_active
    assert runs.is_staff


def test_what_happened_is_listed_and_narrowed(admin: Client, lock: User) -> None:
    sign_in(Client(), "wrong")
    admin.post(f"/administration/people/{lock.pk}/change/", {"what": "administrator"})
    page = admin.get("/administration/").content.decode()
    assert "wrong password for H. Lock" in page
    assert "R. Uns: H. Lock is now administrator" in page
    assert "wrong password" not in admin.get("/administration/?kind=account").content.decode()


def test_what_is_taken_out_is_listed(signed_in: Client, stored: Any) -> None:
    signed_in.get(f"/t/{stored.pk}/export/csv/")
    assert [event.words for event in Event.objects.filter(kind="export")] == ["I. Strand downloaded Small as csv"]


def test_the_picture_of_the_authenticator_s_secret_is_whole(lock: User) -> None:
    """A picture without a view box is cut where a style makes it smaller."""
    assert re.match(r'<svg[^>]* viewBox="0 0 (\d+) \1"', two_step.to_set_up(lock).picture)
