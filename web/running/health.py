"""The health of the application, for monitoring: no account, and no personal data."""

from __future__ import annotations

import shutil
from collections.abc import Callable

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.http import HttpRequest, JsonResponse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from web.shared.heartbeat import is_alive, silent_s
from web.shelf.models import StoredTemplate

LEAST_FREE = 512 * 1024**2  # bytes


def unmigrated() -> list[str]:
    """Migrations that the database lacks."""
    executor = MigrationExecutor(connection)
    return [str(step) for step, _backwards in executor.migration_plan(executor.loader.graph.leaf_nodes())]


def _read_as_the_shelf_does() -> None:
    """Reads one template as the page of templates does, so that a damaged table is found here too."""
    rows = StoredTemplate.objects.select_related("owner", "team", "variant_of").defer("head", "slots")
    stored = rows.first()
    if stored is not None:
        stored.shares.first()
        stored.journal.defer("patch").last()


def _database() -> tuple[bool, str]:
    try:
        lacking = unmigrated()
        if not lacking:
            _read_as_the_shelf_does()
    except DatabaseError as wrong:
        return False, f"cannot be read: {wrong}"
    return (False, f"lacks {len(lacking)} migrations: run migrate") if lacking else (True, "read, up to date")


def _worker() -> tuple[bool, str]:
    silent = silent_s()
    return is_alive(), "no heartbeat yet" if silent is None else f"heartbeat {silent:.0f} s ago"


def _disk() -> tuple[bool, str]:
    free = shutil.disk_usage(settings.VAR).free
    return free >= LEAST_FREE, f"{free / 1024**3:.1f} GiB free"


PARTS: dict[str, Callable[[], tuple[bool, str]]] = {"database": _database, "worker": _worker, "disk": _disk}


@login_not_required
@never_cache
@require_safe
def health(_request: HttpRequest) -> JsonResponse:
    """Database, worker, disk: 200 if all are well, else 503 with the problems."""
    found = {name: part() for name, part in PARTS.items()}
    is_well = all(well for well, _words in found.values())
    parts = {name: {"well": well, "says": words} for name, (well, words) in found.items()}
    return JsonResponse({"well": is_well, "parts": parts}, status=200 if is_well else 503)


@login_not_required
@never_cache
@require_safe
def live(_request: HttpRequest) -> JsonResponse:
    """That the process answers at all."""
    return JsonResponse({"well": True})
