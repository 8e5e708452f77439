"""Import, and update from a file: upload, reading, result."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from lattice.errors import DocumentError
from lattice.formats.document_json import MAX_BYTES
from web.accounts.signed_in import signed_in_user
from web.bringing import services
from web.bringing.forms import BringForm
from web.bringing.models import Brought
from web.bringing.reading import read
from web.bringing.showing import shown
from web.editor.kept import kept
from web.editor.writes import base_of
from web.shared.bodies import takes_files
from web.shelf.access import may, template_or_404
from web.shelf.demo.sample_workbook import NAME, sample_workbook
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace


@takes_files(MAX_BYTES)
@require_http_methods(["GET", "HEAD", "POST"])
def bring(request: HttpRequest) -> HttpResponse:
    """A file or a pasted range, for the shelf."""
    return _brought(request, None)


@takes_files(MAX_BYTES, may("edit"))
@require_http_methods(["GET", "HEAD", "POST"])
def bring_into(request: HttpRequest, pk: int) -> HttpResponse:
    """A newer sheet of a template that is there."""
    return _brought(request, template_or_404(request, pk))


def _brought(request: HttpRequest, into: StoredTemplate | None) -> HttpResponse:
    """Store a draft and redirect to its reading; no template is stored yet."""
    try:
        form = BringForm(request.POST or None, request.FILES or None)
    except RequestDataTooBig:
        form = BringForm({})
        form.add_error(None, "The text has more than 20 MiB. Import it as a file (limit 64 MiB).")
        return render(request, "bringing/bring.html", {"form": form, "into": into}, status=413)
    context = {"form": form, "into": into}
    if request.method != "POST" or not form.is_valid():
        return render(request, "bringing/bring.html", context, status=422 if request.method == "POST" else 200)
    try:
        brought = services.put_aside(signed_in_user(request), *form.data_and_name(), into)
    except DocumentError as wrong:
        return render(request, "bringing/bring.html", {**context, "problems": wrong.problems}, status=422)
    found = read(brought, workspace(into).template if into else None)
    if found.template is None and found.book is None:
        brought.delete()
        return render(request, "bringing/bring.html", {**context, "problems": found.problems}, status=422)
    return redirect("brought", brought.pk)


@require_POST
def sample(request: HttpRequest) -> HttpResponse:
    """The sample workbook, as if it had been brought."""
    name = NAME.rpartition(".")[0]
    return redirect("brought", services.put_aside(signed_in_user(request), sample_workbook(), name).pk)


def _own_or_404(request: HttpRequest, number: int) -> Brought:
    found = services.of_owner(signed_in_user(request), number)
    if found is None:
        raise Http404
    return found


@require_safe
def page(request: HttpRequest, number: int) -> HttpResponse:
    """The reading of a draft."""
    found = services.of_owner(signed_in_user(request), number)
    if found is None:  # kept already, or gone: the address is still in the history
        return redirect("bring")
    return render(request, "bringing/page.html", shown(found))


@require_POST
def choose(request: HttpRequest, number: int) -> HttpResponse:
    """One choice; answers with the new reading."""
    brought = _own_or_404(request, number)
    context = {}
    try:
        services.choose(brought, request.POST.get("field", ""), request.POST.get("value", ""))
    except DocumentError as wrong:
        context = {"refused": wrong.problems}
    return render(request, "bringing/body.html", {**shown(brought), **context}, status=422 if context else 200)


@require_POST
def keep(request: HttpRequest, number: int) -> HttpResponse:
    """Save the preview; a refusal states its reason."""
    brought = _own_or_404(request, number)

    def page(status: int, **said: Any) -> HttpResponse:
        return render(request, "bringing/page.html", {**shown(brought), **said}, status=status)

    return kept(lambda: services.keep(signed_in_user(request), brought, base_of(request)), page)
