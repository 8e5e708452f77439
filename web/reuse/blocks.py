"""Blocks: created from selected strips, listed under Templates, updated to a newer version."""

from __future__ import annotations

from functools import partial
from typing import Any

from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_POST, require_safe
from msgspec.structs import replace

from lattice.changes.update_variant import carried
from lattice.edits.extract import taken_out
from lattice.edits.merge import Difference, differences, merged
from lattice.edits.outboard import outboard_around
from lattice.edits.renaming import with_new_ids
from lattice.errors import DocumentError, EditError
from lattice.formats.block_json import dump, from_plain
from lattice.model.block import Block
from lattice.model.document import Template
from lattice.model.names import slug
from web.accounts.signed_in import signed_in_user
from web.editor.kept import asked_of, kept
from web.editor.picture import pictured
from web.editor.writes import base_of
from web.reuse.making import ticked_rows
from web.reuse.models import BlockUse, KeptBlock
from web.reuse.services import keep_block
from web.shared.downloads import as_file
from web.shelf import services
from web.shelf.access import seen_by, template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.sheets import small_picture
from web.shelf.workspace import workspace


def own_block_or_404(request: HttpRequest, number: int) -> KeptBlock:
    return get_object_or_404(KeptBlock, owner=signed_in_user(request), pk=number)


@require_safe
def blocks_page(request: HttpRequest) -> HttpResponse:
    """All blocks of a user: their content, and the templates with them."""
    blocks = KeptBlock.objects.filter(owner=signed_in_user(request)).prefetch_related("uses__template")
    return render(request, "reuse/blocks.html", {"rows": [_shelf_row(one) for one in blocks]})


def _shelf_row(kept: KeptBlock) -> dict[str, Any]:
    part = from_plain(kept.content)
    uses = [use for use in kept.uses.all() if seen_by(kept.owner, use.template) is not None]
    return {"kept": kept, "part": part, "ends": _ends_of(part), "uses": uses}


def _ends_of(part: Block) -> list[str]:
    """Open ends in words, each with the name of the strip that it was."""
    names = {strip.id: strip.name for strip in part.template.strips}
    return [end.name if names[end.strip] in end.name else f"{end.name}: {names[end.strip]}" for end in part.ends]


@require_safe
def names(request: HttpRequest) -> JsonResponse:
    """Names and numbers of a user's blocks, for the finder."""
    rows = KeptBlock.objects.filter(owner=signed_in_user(request)).values("pk", "name")
    return JsonResponse({"blocks": [{"number": row["pk"], "name": row["name"]} for row in rows]})


@require_safe
def export(request: HttpRequest, number: int) -> HttpResponse:
    kept = own_block_or_404(request, number)
    return as_file(dump(from_plain(kept.content)), f"{slug(kept.name)}.block.json", "application/json")


@require_safe
@cache_control(private=True, max_age=3600)
def small(request: HttpRequest, number: int) -> HttpResponse:
    """A small picture of a block."""
    picture = small_picture(from_plain(own_block_or_404(request, number).content).template)
    return HttpResponse(picture, content_type="image/svg+xml")


@require_POST
def forget(request: HttpRequest, number: int) -> HttpResponse:
    """Delete; templates that contain it keep their strips."""
    own_block_or_404(request, number).delete()
    return redirect("blocks")


def chosen(template: Template, text: str) -> list[str]:
    wanted = set(text.split())
    return [strip.id for strip in template.strips if strip.id in wanted]


@require_safe
def keep_page(request: HttpRequest, pk: int) -> HttpResponse:
    return _keep_page(request, pk)


def _keep_page(request: HttpRequest, pk: int, status: int = 200, **said: Any) -> HttpResponse:
    """The strips that are chosen, as the block they would be."""
    stored = template_or_404(request, pk)
    template = workspace(stored).template
    asked = asked_of(request)
    strips = chosen(template, asked.get("strips", ""))
    name, note = asked.get("name", ""), asked.get("note", "")
    context: dict[str, Any] = {"stored": stored, "strips": " ".join(strips), "name": name, "note": note}
    whole = outboard_around(template, strips)
    context["whole"] = " ".join(whole) if len(whole) > len(strips) else ""
    if strips:
        block = taken_out(template, strips, name or "A block", note)
        context |= {"part": block, "ends": _ends_of(block), **pictured(block.template)}
    else:
        context["refused"] = ["select strips on the map first"]
    known = KeptBlock.objects.filter(owner=signed_in_user(request)).values_list("name", flat=True)
    return render(request, "reuse/keep_block.html", {**context, "known": list(known), **said}, status=status)


@require_POST
def keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Keeps chosen strips as a block; under a name that is there as its next version."""
    stored, user = template_or_404(request, pk), signed_in_user(request)
    name = " ".join(request.POST.get("name", "").split())[:120]
    try:
        if not name:
            raise EditError("a block needs a name")
        template = workspace(stored).template
        strips, note = chosen(template, request.POST.get("strips", "")), request.POST.get("note", "").strip()[:2000]
        block = taken_out(template, strips, name, note)
    except DocumentError as wrong:
        return _keep_page(request, pk, 422, refused=wrong.problems)
    keep_block(user, block)
    return redirect("blocks")


# a newer version of a block


def newer_states(user: User, stored: StoredTemplate) -> list[BlockUse]:
    """A user's own blocks in a template with a newer version: others' blocks may be private."""
    uses = BlockUse.objects.filter(template=stored, block__owner=user).select_related("block")
    return [use for use in uses if use.version < use.block.version]


def _renewed(stored: StoredTemplate, use: BlockUse) -> tuple[Template, list[Difference], tuple[str, ...]]:
    """A template with the changes of a block since it was added, the differences, and removed strips."""
    there = workspace(stored).template
    was, now = (with_new_ids(from_plain(one), use.ids, there) for one in (use.content, use.block.content))
    found = carried(was, replace(now, name=was.name), there)
    return found.template, differences(there, found.template, found.gone), found.gone


@require_safe
def renew_page(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    return _renew_page(request, pk, number)


def _use_or_404(request: HttpRequest, pk: int, number: int) -> tuple[StoredTemplate, BlockUse]:
    stored = template_or_404(request, pk)
    mine = BlockUse.objects.select_related("block").filter(block__owner=signed_in_user(request))
    return stored, get_object_or_404(mine, template=stored, pk=number)


def _renew_page(request: HttpRequest, pk: int, number: int, status: int = 200, **said_: Any) -> HttpResponse:
    """The changes of a block since it was added here, selectable."""
    stored, use = _use_or_404(request, pk, number)
    space = workspace(stored)
    made, listed, gone = _renewed(stored, use)
    asked = asked_of(request)
    context = {"stored": stored, "into": stored, "use": use}
    context |= ticked_rows(space, made, listed, gone, asked)
    return render(request, "reuse/renew.html", context | said_, status=status)


@require_POST
def renew(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Apply the selected changes, as one edit; from then on the block here has its current version."""
    stored, use = _use_or_404(request, pk, number)
    user, keys = signed_in_user(request), request.POST.getlist("key")

    def work() -> StoredTemplate:
        base = base_of(request)
        services.based_on(pk, user, base)
        made, _listed, gone = _renewed(stored, use)
        after = merged(workspace(stored).template, made, keys, gone) if keys else workspace(stored).template
        label = f"Update {use.block.name}: {len(keys)} change{'' if len(keys) == 1 else 's'}"
        changed = services.change(pk, user, base, label, lambda _there: after)
        BlockUse.objects.filter(pk=use.pk).update(version=use.block.version, content=use.block.content)
        return changed

    return kept(work, partial(_renew_page, request, pk, number))
