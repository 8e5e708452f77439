"""Signing in: by name and password, or in the demo by a signed link."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_safe

from web.accounts.links import user_of


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True


@login_not_required
@require_safe
def sign_in_by_link(request: HttpRequest, token: str) -> HttpResponse:
    """The link that `make demo` prints; elsewhere there is no such page."""
    number = user_of(token) if settings.DEMO_SIGN_IN else None
    person = None if number is None else get_user_model().objects.filter(pk=number, is_active=True).first()
    if person is None:
        raise Http404
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    return redirect("shelf-demo")
