"""Adding a block, or strips of another template or of a revision; a preview shows the result."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from django.db.models import Prefetch
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from lattice.edits.add_block import Placed
from lattice.edits.extract import taken_out
from lattice.edits.whole_import import all_but_ends, without_processing
from lattice.errors import DocumentError
from lattice.formats.block_json import from_plain
from lattice.model.block import Block
from lattice.model.document import Template
from web.accounts.signed_in import signed_in_user
from web.editor.kept import asked_of, kept
from web.editor.picture import pictured
from web.editor.writes import base_of
from web.reuse import putting
from web.reuse.blocks import chosen, newer_states, own_block_or_404
from web.reuse.models import BlockUse, KeptBlock
from web.revisions.models import Revision
from web.revisions.services import content
from web.shelf import services
from web.shelf.access import shelf_of, template_or_404
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

_NUMBERS = Prefetch("revisions", Revision.objects.only("template", "number", "note"))
FROM = ("strips", "strip", "section", "take", "plain")  # parameters that say which strips come
Source = tuple[Block, KeptBlock | None]


def _block(number: int) -> Callable[[HttpRequest], Source]:
    def source(request: HttpRequest) -> Source:
        kept = own_block_or_404(request, number)
        return from_plain(kept.content), kept

    return source


def _home(request: HttpRequest, other: int, number: int | None) -> tuple[str, Template]:
    """The origin of strips: a template's current version or a revision; by its name in addresses."""
    stored = template_or_404(request, other, "look")
    if number is None:
        return stored.name, workspace(stored).template
    revision = get_object_or_404(stored.revisions, number=number)
    return f"{stored.name}, revision {number}", content(revision)


def _strips_of(other: int, number: int | None) -> Callable[[HttpRequest], Source]:
    """Strips of another template, or of a revision, as a block that is not stored."""

    def source(request: HttpRequest) -> Source:
        asked = asked_of(request)
        name, template = _home(request, other, number)
        wanted = " ".join([*asked.getlist("strips"), *asked.getlist("strip")])
        inside = set(asked.getlist("section"))
        whole = [s.id for s in template.strips if s.section in inside]
        if asked.get("take") == putting.BUT_ENDS:
            whole = all_but_ends(template)
        block = taken_out(template, [*chosen(template, wanted), *whole], name)
        return (without_processing(block) if asked.get("plain") else block), None

    return source


def _put_page(
    request: HttpRequest, pk: int, source: Callable[[HttpRequest], Source], status: int = 200, **said: Any
) -> HttpResponse:
    stored = template_or_404(request, pk)
    space = workspace(stored)
    asked = asked_of(request)
    context: dict[str, Any] = {"stored": stored, "into": stored, "way_words": putting.WAY_WORDS}
    try:
        block, kept = source(request)
        context |= {
            "part": block,
            "kept": kept,
            "ends": putting.ends(space.template, block, asked),
            "clashing": putting.clashing(space.template, block, asked),
            "chosen": {"names": "free", "channels": "free", "midi": "free", **putting.choices_in(asked)},
            "passed_on": [(name, value) for name in FROM for value in asked.getlist(name)],
        }
        found = putting.put(space.template, block, asked)
        there = {strip.id for strip in space.template.strips}
        new = [one.id for one in found.template.strips if one.id not in there]
        context |= {"happens": putting.happens(found), "differs": new, **pictured(found.template, space)}
    except DocumentError as wrong:
        context["refused"] = wrong.problems
    return render(request, "reuse/put.html", context | said, status=status)


def _put(request: HttpRequest, pk: int, source: Callable[[HttpRequest], Source]) -> HttpResponse:
    stored, user = template_or_404(request, pk), signed_in_user(request)

    def work() -> StoredTemplate:
        base = base_of(request)
        services.based_on(pk, user, base)
        block, of = source(request)
        found = putting.put(workspace(stored).template, block, request.POST)
        many = f"{len(block.strips)} strip{'s' if len(block.strips) > 1 else ''}"
        label = f"Add {block.name}" if of else f"Import {many} from {block.name}"
        changed = services.change(pk, user, base, label, lambda _there: found.template)
        if of is not None:
            BlockUse.objects.create(block=of, template=stored, version=of.version, content=of.content, ids=_ids(found))
        return changed

    return kept(work, partial(_put_page, request, pk, source))


def _ids(found: Placed) -> dict[str, dict[str, str]]:
    """The current id of each piece of a block, to find its later changes."""
    return {
        "strips": found.ids,
        "routes": found.routes,
        "inserts": found.inserts,
        "sections": found.sections,
        "machines": found.machines,
    }


@require_safe
def put_page(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    return _put_page(request, pk, _block(number))


@require_POST
def put_in(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    return _put(request, pk, _block(number))


@require_safe
def from_page(request: HttpRequest, pk: int, other: int, number: int | None = None) -> HttpResponse:
    """Strips of another template or of a revision: selection, then preview of the result."""
    stored, (name, template) = template_or_404(request, pk), _home(request, other, number)
    if any(request.GET.getlist(field) for field in ("strips", "strip", "section", "take")):
        return _put_page(request, pk, _strips_of(other, number))
    groups = [(section, [s for s in template.strips if s.section == section.id]) for section in template.sections]
    rest = [strip for strip in template.strips if strip.section is None]
    return render(request, "reuse/from.html", {"stored": stored, "home": name, "groups": groups, "rest": rest})


@require_POST
def bring_from(request: HttpRequest, pk: int, other: int, number: int | None = None) -> HttpResponse:
    return _put(request, pk, _strips_of(other, number))


@require_safe
def choose_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Possible sources: blocks, other templates, revisions; and blocks here with a newer version."""
    stored, user = template_or_404(request, pk), signed_in_user(request)
    own = shelf_of(user).defer("head", "slots").prefetch_related(_NUMBERS)
    homes = [one for one in own if one.pk != pk or one.revisions.all()]
    return render(
        request,
        "reuse/choose.html",
        {
            "stored": stored,
            "blocks": KeptBlock.objects.filter(owner=user),
            "homes": homes,
            "newer": newer_states(user, stored),
        },
    )
