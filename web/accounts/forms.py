"""Forms of accounts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms
from django.contrib.auth.forms import AuthenticationForm, UserCreationForm
from django.contrib.auth.models import User

from web.accounts import two_step
from web.accounts.lookalikes import has_unseen, looks_like

MAIL_LABEL = {"email": "E-mail address"}


class SignInForm(AuthenticationForm):
    def get_invalid_login_error(self) -> forms.ValidationError:
        """The same text for a wrong name and a wrong password, so that it reveals no accounts."""
        return forms.ValidationError("Wrong user name or password. Check capital letters.")


class NewAccountForm(UserCreationForm):  # type: ignore[type-arg]
    """The form of an invited user. Names are compared without case, as they are read aloud."""

    class Meta:
        model = User
        fields = ("username", "first_name", "last_name", "email")
        labels = MAIL_LABEL

    def clean_username(self) -> str:
        name: str = super().clean_username() or ""
        if looks_like(name) is not None:
            raise forms.ValidationError("A user name that looks the same exists. Choose a different one.")
        return name

    def clean_first_name(self) -> str:
        return _all_seen(self.cleaned_data["first_name"])

    def clean_last_name(self) -> str:
        return _all_seen(self.cleaned_data["last_name"])


def _all_seen(name: str) -> str:
    if has_unseen(name):
        raise forms.ValidationError("The name contains an invisible character. Type it again.")
    return name


class NameForm(forms.ModelForm):  # type: ignore[type-arg]
    """The name of a user: it signs revisions, approvals and waivers."""

    class Meta:
        model = User
        fields = ("first_name", "last_name")

    def clean_first_name(self) -> str:
        return _all_seen(self.cleaned_data["first_name"])

    def clean_last_name(self) -> str:
        return _all_seen(self.cleaned_data["last_name"])


class MailForm(forms.ModelForm):  # type: ignore[type-arg]
    """Where mail goes about the account. With the password: a link for a new one is sent there."""

    password = forms.CharField(
        label="Your password", strip=False, widget=forms.PasswordInput(attrs={"autocomplete": "current-password"})
    )

    class Meta:
        model = User
        fields = ("email",)
        labels = MAIL_LABEL

    def clean_password(self) -> str:
        given: str = self.cleaned_data["password"]
        if not self.instance.check_password(given):
            raise forms.ValidationError("Wrong password.")
        return given


class LostPasswordForm(forms.Form):
    """The mail address of an account."""

    email = forms.EmailField(
        max_length=254, label="E-mail address", widget=forms.EmailInput(attrs={"autocomplete": "email"})
    )


class SecondStepForm(forms.Form):
    """The form of a new authenticator: an open session alone may not replace the second step."""

    password = forms.CharField(
        label="Your password", strip=False, widget=forms.PasswordInput(attrs={"autocomplete": "current-password"})
    )
    present = forms.CharField(max_length=32, label="Code of the current authenticator, or a recovery code")
    code = forms.CharField(max_length=32, label="Code of the new authenticator")

    def __init__(self, user: User, data: Mapping[str, Any] | None = None) -> None:
        super().__init__(data)
        self.user, self.is_renewed = user, two_step.is_on(user)
        if not self.is_renewed:
            del self.fields["present"]
            self.fields["code"].label = "Code"

    def clean_code(self) -> str:
        return _code_in(self.cleaned_data["code"])

    def clean(self) -> dict[str, Any]:
        """A code is looked at behind the right password only, so that none is used up by guessing."""
        cleaned = super().clean() or self.cleaned_data
        if self.errors:
            return cleaned
        if not self.user.check_password(cleaned["password"]):
            self.add_error("password", "Wrong password.")
        elif self.is_renewed and not two_step.is_right(self.user, _code_in(cleaned["present"])):
            self.add_error("present", "Wrong code. After several, wait before retrying.")
        return cleaned


def _code_in(text: object) -> str:
    return "".join(str(text).split()).lower()


class CodeForm(forms.Form):
    """Six figures of an authenticator, or a recovery code."""

    code = forms.CharField(max_length=32)

    def clean_code(self) -> str:
        return _code_in(self.cleaned_data["code"])
