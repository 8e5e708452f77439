"""Reads and writes of inventories: each belongs to a user, not to a template."""

from __future__ import annotations

import base64
import binascii

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST, require_safe
from msgspec.structs import replace

from lattice.edits import edit_named
from lattice.errors import DocumentError
from lattice.formats.inventory import dump, load
from lattice.model.edit_step import EditStep
from lattice.model.inventory import inventory_of, other_latencies
from lattice.model.names import slug
from web.accounts.signed_in import signed_in_user
from web.editor.kept_inventories import as_inventory
from web.editor.writes import base_of, changed, refused, written
from web.shared.downloads import as_file
from web.shared.numbers import number_of
from web.shelf import services
from web.shelf.access import template_or_404
from web.shelf.models import KeptInventory, StoredTemplate
from web.shelf.workspace import workspace


@require_safe
def export_inventory(request: HttpRequest, pk: int, of: int) -> HttpResponse:
    template_or_404(request, pk)
    kept = get_object_or_404(KeptInventory, owner=signed_in_user(request), pk=of)
    return as_file(dump(as_inventory(kept)), f"{slug(kept.name)}.csv", "text/csv; charset=utf-8")


@require_POST
def bring_inventory(request: HttpRequest, pk: int) -> HttpResponse:
    """An inventory pasted or typed as CSV or JSON, kept under a name."""
    stored, name = template_or_404(request, pk), request.POST.get("name", "").strip()[:120]
    try:
        if not name:
            raise DocumentError(["an inventory needs a name: its machine or studio"])
        packed = base64.b64decode(request.POST.get("packed", ""))  # a workbook: no text
        inventory = load(packed or request.POST.get("text", "").encode(), name)
    except binascii.Error:
        return refused(request, DocumentError(["the file is incomplete; send it again"]))
    except DocumentError as error:
        return refused(request, error)
    services.keep_inventory(signed_in_user(request), replace(inventory, name=name))
    return changed(request, stored)


@require_POST
def take_inventory(request: HttpRequest, pk: int) -> HttpResponse:
    """The requirements of this template for one of its machines, saved as that machine's inventory."""
    stored = template_or_404(request, pk)
    template = workspace(stored).template
    machine = next((one for one in template.machines if one.id == request.POST.get("machine")), None)
    if machine is None:
        return refused(request, DocumentError(["this template does not have this machine"]))
    services.keep_inventory(signed_in_user(request), inventory_of(template, machine))
    return changed(request, stored)


@require_POST
def take_latencies(request: HttpRequest, pk: int) -> HttpResponse:
    """The latencies that an inventory lists, into the inserts that state others, as one edit."""

    def work(stored: StoredTemplate) -> StoredTemplate:
        kept = KeptInventory.objects.filter(owner=signed_in_user(request), pk=number_of(request.POST.get("of", "")))
        inventory = next(map(as_inventory, kept), None)
        if inventory is None:
            raise DocumentError(["this inventory was deleted"])
        services.based_on(pk, signed_in_user(request), base_of(request))
        template = workspace(stored).template
        listed = [
            {"insert": insert.id, "latency_samples": samples}
            for _strip, insert, samples in other_latencies(template, inventory)
        ]
        step = EditStep("take_latencies", {"latencies": listed})
        label = f"{edit_named('take_latencies').words(template, step.arguments)}, {inventory.name}"
        return services.edit(pk, signed_in_user(request), base_of(request), label, [step])

    return written(request, pk, work)


@require_POST
def forget_inventory(request: HttpRequest, pk: int) -> HttpResponse:
    stored = template_or_404(request, pk)
    KeptInventory.objects.filter(owner=signed_in_user(request), pk=number_of(request.POST.get("of", ""))).delete()
    return changed(request, stored)
