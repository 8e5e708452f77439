"""Forms of accounts."""

from __future__ import annotations

from django import forms
from django.contrib.auth.forms import AuthenticationForm, UserCreationForm
from django.contrib.auth.models import User

MAIL_LABEL = {"email": "Mail address"}


class SignInForm(AuthenticationForm):
    def get_invalid_login_error(self) -> forms.ValidationError:
        """The same words for a wrong name and a wrong password: who has an account here is nobody's business."""
        return forms.ValidationError("This name and password do not belong together. Look at capital letters.")


class NewAccountForm(UserCreationForm):  # type: ignore[type-arg]
    """What an invited person says of themselves. Names are told apart without capital letters: they are read aloud."""

    class Meta:
        model = User
        fields = ("username", "first_name", "last_name", "email")
        labels = MAIL_LABEL


class NameForm(forms.ModelForm):  # type: ignore[type-arg]
    """How somebody is called: what revisions, ticks and waivers are signed with."""

    class Meta:
        model = User
        fields = ("first_name", "last_name")


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
            raise forms.ValidationError("This is not your password.")
        return given


class LostPasswordForm(forms.Form):
    """The mail address of an account."""

    email = forms.EmailField(
        max_length=254, label="Mail address", widget=forms.EmailInput(attrs={"autocomplete": "email"})
    )


class CodeForm(forms.Form):
    """Six figures of an authenticator, or a recovery code."""

    code = forms.CharField(max_length=32)

    def clean_code(self) -> str:
        return "".join(str(self.cleaned_data["code"]).split()).lower()
