"""All writes of imports: drafts, choices, results."""

from __future__ import annotations

from datetime import timedelta
from typing import TypeVar

import msgspec
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Sum
from django.db.models.functions import Length
from django.utils import timezone
from msgspec.structs import replace

from lattice.errors import EditError
from lattice.formats import midi_file
from lattice.formats.tables.choices import Choices, SectionsFrom, fingerprint, is_field
from lattice.formats.tables.encodings import ENCODINGS
from lattice.formats.tables.understand import answered
from lattice.model.document import LONGEST_LABEL, Template
from lattice.model.strip_kinds import TRAITS
from web.bringing.models import Brought, KeptChoices, Recordings
from web.bringing.reading import Read, choices_of, read
from web.shelf import services
from web.shelf.access import seen_by
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

LASTS = timedelta(days=1)
MOST_BYTES = 256 * 1024**2  # of one user's drafts
LONGEST_NAME = 120
Lot = TypeVar("Lot", Brought, Recordings)
SECTIONS = SectionsFrom.__args__  # type: ignore[attr-defined]


def put_aside(user: User, content: bytes, name: str, into: StoredTemplate | None = None) -> Brought:
    """A draft; it expires if it is not used in time.

    The user's choices for an earlier table with the same heads apply to this one. Raises EditError beyond the number of
    drafts.
    """
    Brought.objects.filter(created_at__lt=timezone.now() - LASTS).delete()
    waiting = Brought.objects.filter(owner=user).aggregate(bytes=Sum(Length("content")))["bytes"] or 0
    if waiting + len(content) > MOST_BYTES:
        raise EditError(
            f"You have {waiting / 1024**2:.0f} MiB of unfinished imports (limit {MOST_BYTES // 1024**2}). Finish or "
            "cancel some; they are deleted after a day."
        )
    brought: Brought = Brought.objects.create(owner=user, content=content, name=name[:LONGEST_NAME], into=into)
    first = read(brought, workspace(into).template if into else None)
    kept = KeptChoices.objects.filter(owner=user, fingerprint=fingerprint(first.table.heads)) if first.table else None
    if kept is not None and (known := kept.first()) is not None:
        brought.choices, brought.remembered = known.choices, True
        brought.save(update_fields=["choices", "remembered"])
    return brought


def of_owner(user: User, number: int) -> Brought | None:
    """A user's draft; None if it is another user's or has expired."""
    found = Brought.objects.select_related("into").filter(owner=user, pk=number, created_at__gte=timezone.now() - LASTS)
    return open_to(user, found.first())


def open_to(user: User, lot: Lot | None) -> Lot | None:
    """An import that was begun for a template; None where the person may no longer edit that template."""
    if lot is None or lot.into is None:
        return lot
    return lot if seen_by(user, lot.into, "edit") is not None else None


def choose(brought: Brought, field: str, value: str) -> None:
    """One choice for a draft. Raises EditError for an impossible one."""
    if field == "name":
        brought.name = " ".join(value.split())[:LONGEST_NAME] or brought.name
    elif field == "tick":
        brought.turned = sorted(set(brought.turned) ^ set(value.split()))
    elif field == "anew":
        brought.choices, brought.remembered, brought.turned = {}, False, []
    elif field == "instrument":
        brought.choices = {"instrument": value}
    elif bytes(brought.content[:4]) == midi_file.BEGINS:
        raise EditError(f"“{field}” is not a choice of a MIDI file")
    else:
        brought.choices = msgspec.to_builtins(_chosen(choices_of(brought), field, value))
    brought.save(update_fields=["name", "choices", "remembered", "turned"])


def _chosen(choices: Choices, field: str, value: str) -> Choices:  # noqa: C901, PLR0911 - one case a choice
    what, _colon, key = field.partition(":")
    match what:
        case "part":
            return replace(Choices(encoding=choices.encoding, delimiter=choices.delimiter), part=value)
        case "encoding" if value in ENCODINGS:
            return replace(choices, encoding=value)
        case "delimiter" if value:
            return Choices(encoding=choices.encoding, delimiter=value)
        case "head_row" if value.isdecimal() and len(value) < 6:
            return replace(choices, head_row=int(value), columns={}, words={})
        case "column" if is_field(value):
            return replace(choices, columns={**choices.columns, key: value})
        case "routing" if value in ("bus", "strip"):
            return replace(choices, routing=value)
        case "sections" if value in SECTIONS:
            return replace(choices, sections=value)
        case "role" if key and len(key) <= LONGEST_LABEL and value in TRAITS:
            return replace(choices, roles={**choices.roles, key: value})
        case "wire" if value in ("0", "1"):
            return replace(choices, wire=value == "1")
        case "apart":
            return replace(choices, keep_apart=sorted({*choices.keep_apart, key}))
        case "answer" if len(value) <= LONGEST_LABEL + 1:
            try:
                return answered(choices, key, value)
            except ValueError as wrong:
                raise EditError(str(wrong)) from None
    raise EditError(f"“{value}” is not a choice for {what}")


def keep(user: User, brought: Brought, base: int) -> StoredTemplate:
    """Create the previewed template, or apply the changes to the existing one, as one edit.

    Raises
    ------
    EditError
        If there is no result.
    StaleVersionError
        Where the template has changed since the page was shown.
    """
    into = brought.into
    if into is not None:
        services.based_on(into.pk, user, base)
    shown = read(brought, workspace(into).template if into else None)
    made = shown.template
    if made is None or not made.strips:
        raise EditError(*(shown.problems or ["it contains no strips"]))
    if into is None:
        stored = services.store(user, made)
    else:
        many = len(shown.ticked)
        label = f"Import updated sheet: {many} change{'' if many == 1 else 's'}"
        stored = services.change(into.pk, user, base, label, lambda _there: _present(made))
    _remember(user, brought, shown)
    return stored


def _present(made: Template) -> Template:
    return made


@transaction.atomic
def _remember(user: User, brought: Brought, shown: Read) -> None:
    """The choices apply to the next table with the same heads; the draft is deleted."""
    heads = fingerprint(shown.table.heads) if shown.table else ""
    said = choices_of(brought).for_next() if heads else Choices()
    if said != Choices():
        KeptChoices.objects.update_or_create(
            owner=user, fingerprint=heads, defaults={"choices": msgspec.to_builtins(said)}
        )
    brought.delete()
