"""Making release packs in the background."""

from __future__ import annotations

from web.revisions.models import Pack, Revision
from web.revisions.pack import make_pack
from web.revisions.services import begin_pack
from web.shared.jobs import queue


def begin_pack_of(revision: Revision) -> None:
    """Has a pack made, unless one is being made."""
    pack = begin_pack(revision)
    if pack.state == Pack.WAITING and not pack.percent:
        make(pack.pk)


@queue.task()
def make(pack_pk: int) -> None:
    """Create a pack, report progress, and stop if it is cancelled."""
    pack = Pack.objects.select_related("revision__template").get(pk=pack_pk)
    pack.make(lambda: make_pack(pack.revision, pack.report))
