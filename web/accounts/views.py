"""Signing in, in one step or two; invitations; one's own account."""

from __future__ import annotations

from time import time
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm, PasswordChangeForm
from django.contrib.auth.models import User
from django.contrib.auth.views import LoginView, PasswordResetConfirmView
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse_lazy
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from web.accounts import mail, two_step
from web.accounts.forms import (
    CodeForm,
    LostPasswordForm,
    MailForm,
    NameForm,
    NewAccountForm,
    SecondStepForm,
    SignInForm,
)
from web.accounts.models import Event, Invitation, digest_of, note
from web.accounts.names import name_of
from web.accounts.sessions import begin, end_all
from web.accounts.signed_in import address_of, signed_in_user

BACKEND = "web.accounts.backends.AccountBackend"
FIRST_STEP = "first-step"  # in the session: (person, when), between password and code
CODE_WITHIN_S = 300


@method_decorator([login_not_required, never_cache], name="dispatch")
class SignIn(LoginView):
    template_name = "accounts/sign_in.html"
    form_class = SignInForm
    redirect_authenticated_user = True

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        user = form.get_user()
        if not two_step.is_on(user):
            return super().form_valid(form)
        self.request.session[FIRST_STEP] = [user.pk, int(time()), self.get_success_url()]
        return redirect("sign-in-code")


@login_not_required
@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def sign_in_code(request: HttpRequest) -> HttpResponse:
    """The second step: a code, within five minutes of the password."""
    number, when, then = request.session.get(FIRST_STEP, (0, 0, ""))
    user = User.objects.filter(pk=number, is_active=True).first()
    if user is None or time() - when > CODE_WITHIN_S:
        return redirect("sign-in")
    form = CodeForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        if two_step.is_right(user, form.cleaned_data["code"]):
            del request.session[FIRST_STEP]
            login(request, user, backend=BACKEND)
            return redirect(then)
        note(Event.FAILED, user, f"wrong code for {name_of(user)}", address_of(request))
        form.add_error("code", "Wrong code. After several, wait before retrying.")
    return render(request, "accounts/sign_in_code.html", {"form": form}, status=422 if form.errors else 200)


@login_not_required
@require_safe
def sign_in_by_link(request: HttpRequest, token: str) -> HttpResponse:
    """The link that `make demo` prints; it works once, and elsewhere there is no such page."""
    person = authenticate(request, sesame=token, scope="", max_age=None) if settings.DEMO_SIGN_IN else None
    # The link is good for one sign-in; of several at once the database lets one through.
    unused = User.objects.filter(pk=person.pk, last_login=person.last_login) if person is not None else None
    if person is None or unused is None or not unused.update(last_login=timezone.now()):
        raise Http404
    login(request, person, backend=BACKEND)
    return redirect("shelf-demo")


@login_not_required
@never_cache
@sensitive_post_parameters()
@require_http_methods(["GET", "HEAD", "POST"])
def invitation(request: HttpRequest, token: str) -> HttpResponse:
    """Where an invited person makes their account."""
    invited = Invitation.objects.filter(digest=digest_of(token)).first()
    if invited is None:
        raise Http404
    if invited.why_not:
        words = {"title": "Invitation not valid", "words": invited.why_not}
        return render(request, "shared/message.html", words, status=410)
    form = NewAccountForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        with transaction.atomic():
            taken = Invitation.objects.filter(pk=invited.pk, used_at=None, withdrawn_at=None).update(
                used_at=timezone.now()
            )
            if not taken:  # two tabs at once
                return redirect("invitation", token)
            form.instance.is_staff = invited.is_administrator
            user = form.save()
            Invitation.objects.filter(pk=invited.pk).update(used_by=user)
            by = f", invited by {name_of(invited.by)}" if invited.by else ""
            note(Event.ACCOUNT, user, f"{name_of(user)} created an account{by}")
        login(request, user, backend=BACKEND)
        return redirect("shelf")
    return render(request, "accounts/invitation.html", {"form": form}, status=422 if form.errors else 200)


@method_decorator([login_not_required, never_cache], name="dispatch")
class NewPassword(PasswordResetConfirmView):
    """Where a link leads by which a lost password is replaced; Django's own, good once."""

    template_name = "accounts/new_password.html"
    success_url = reverse_lazy("sign-in")
    reset_url_token = "now"  # noqa: S105 - stands in the address for the token, which the session holds

    def get_user(self, uidb64: str) -> User | None:
        """Whose password it is; a link that an administrator made is held to that one being administrator still."""
        user, self.token_generator = mail.person_of_link(uidb64)
        return user

    def form_valid(self, form: object) -> HttpResponse:
        answer = super().form_valid(form)  # type: ignore[arg-type]
        if self.user is not None:
            note(Event.ACCOUNT, self.user, f"{name_of(self.user)} set a new password by reset link")
            mail.notify(self.user, "password was changed by reset link")
        return answer


@login_not_required
@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def lost_password(request: HttpRequest) -> HttpResponse:
    """Requests a link for a new password; the answer is the same for known and unknown addresses."""
    form, can_send = LostPasswordForm(request.POST or None), mail.can_send()
    is_asked = can_send and request.method == "POST" and form.is_valid()
    if is_asked:
        mail.send_links(form.cleaned_data["email"], request.build_absolute_uri("/"))
    context = {"form": form, "can_send": can_send, "is_asked": is_asked}
    return render(request, "accounts/lost_password.html", context, status=422 if form.errors else 200)


# one's own account


@never_cache
@sensitive_post_parameters()
@require_http_methods(["GET", "HEAD", "POST"])
def account(request: HttpRequest) -> HttpResponse:
    """Name, e-mail address, password, two-step sign-in, other sessions: each a form of its own."""
    user = signed_in_user(request)
    what = request.POST.get("what", "")
    before = user.email
    forms: dict[str, Any] = {
        "name": NameForm(request.POST if what == "name" else None, instance=user),
        "mail": MailForm(request.POST if what == "mail" else None, instance=user),
        "password": PasswordChangeForm(user, request.POST if what == "password" else None),
    }
    form, done = forms.get(what), ""
    if form is not None and form.is_valid():
        form.save()
        if what == "password":
            update_session_auth_hash(request, user)
        if what != "name":
            note(Event.ACCOUNT, user, f"{name_of(user)} changed the {WORDS[what][0]}")
            mail.notify(user, f"{WORDS[what][0]} was changed", before)
        done = WORDS[what][1]
    context = {**forms, "done": done, "is_two_step": two_step.is_on(user)}
    return render(request, "accounts/account.html", context, status=422 if form is not None and form.errors else 200)


# The result of each form of the account, and its message.
WORDS = {
    "name": ("name", "Name saved."),
    "mail": ("e-mail address", "E-mail address saved."),
    "password": ("password", "Password changed. You are signed out on all other devices."),
}


@require_POST
def sign_out_everywhere(request: HttpRequest) -> HttpResponse:
    """All sessions of a person but this one are over."""
    user = signed_in_user(request)
    end_all(user)
    begin(request, user)
    note(Event.ACCOUNT, user, f"{name_of(user)} signed out on all other devices")
    return redirect("account")


@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def two_step_on(request: HttpRequest) -> HttpResponse:
    """Sets an authenticator up, or another one instead, and shows the recovery codes, once."""
    user = signed_in_user(request)
    form = SecondStepForm(user, request.POST or None)
    if request.method == "POST" and form.is_valid():
        codes = two_step.confirm(user, form.cleaned_data["code"])
        if codes is not None:
            happened = "was replaced" if form.is_renewed else "was turned on"
            note(Event.ACCOUNT, user, f"{name_of(user)}: two-step sign-in {happened}")
            mail.notify(user, f"two-step sign-in {happened}")
            return render(request, "accounts/recovery_codes.html", {"codes": codes})
        form.add_error("code", "Wrong code. Check the clock of your authenticator and enter the code it shows now.")
    context = {"form": form, "setting": two_step.to_set_up(user)}
    return render(request, "accounts/two_step.html", context, status=422 if form.errors else 200)


@require_POST
def two_step_off(request: HttpRequest) -> HttpResponse:
    """Turns it off with the password: an open page alone does not suffice."""
    user = signed_in_user(request)
    if not user.check_password(request.POST.get("password", "")):
        words = "Wrong password. Two-step sign-in stays on."
        return render(request, "shared/message.html", {"title": "Not turned off", "words": words}, status=422)
    two_step.switch_off(user)
    note(Event.ACCOUNT, user, f"{name_of(user)} turned off two-step sign-in")
    mail.notify(user, "two-step sign-in was turned off")
    return redirect("account")
