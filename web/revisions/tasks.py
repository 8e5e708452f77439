"""Making release packs in the background."""

from __future__ import annotations

from web.revisions.models import Pack
from web.revisions.pack import make_pack
from web.shared.jobs import queue


@queue.task()
def make(pack_pk: int) -> None:
    """Makes a pack, says how far it is, and stops where it was cancelled."""
    pack = Pack.objects.select_related("revision__template").get(pk=pack_pk)
    pack.make(lambda: make_pack(pack.revision, pack.tell))
