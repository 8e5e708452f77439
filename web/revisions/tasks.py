"""Background work: `manage.py work` does it, one piece after the other."""

from __future__ import annotations

from django.conf import settings
from django.utils import timezone
from huey import SqliteHuey

from web.revisions.models import Pack
from web.revisions.pack import make_pack

jobs = SqliteHuey("lattice", filename=str(settings.JOBS_DATABASE), immediate=settings.JOBS_AT_ONCE)


class CancelledError(Exception):
    """Nobody waits for the pack any more."""


@jobs.task()
def make(pack_pk: int) -> None:
    """Makes a pack, says how far it is, and stops where it was cancelled."""
    pack = Pack.objects.select_related("revision__template").get(pk=pack_pk)

    def tell(step: str, percent: int) -> None:
        still = Pack.objects.filter(pk=pack.pk, state__in=(Pack.WAITING, Pack.MAKING))
        if not still.update(state=Pack.MAKING, step=step, percent=percent):
            raise CancelledError

    try:
        content = make_pack(pack.revision, tell)
    except CancelledError:
        return
    except Exception as wrong:
        _end(pack, Pack.FAILED, said=f"{type(wrong).__name__}: {wrong}"[:300])
        raise
    _end(pack, Pack.DONE, content=content, percent=100, step="")


def _end(pack: Pack, state: str, **fields: object) -> None:
    """The pack's last state, unless it was cancelled in the meantime."""
    still = Pack.objects.filter(pk=pack.pk).exclude(state=Pack.CANCELLED)
    still.update(state=state, ended_at=timezone.now(), **fields)


def take_up() -> int:
    """Packs that a worker was at when it was stopped are made anew; called when one starts."""
    left = list(Pack.objects.filter(state__in=(Pack.WAITING, Pack.MAKING)))
    jobs.flush()
    for pack in left:
        Pack.objects.filter(pk=pack.pk).update(state=Pack.WAITING, step="", percent=0)
        make(pack.pk)
    return len(left)
