"""Notes that may be left out on a full disk, so that users can still sign in to read."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import OperationalError, transaction


@contextmanager
def written_if_there_is_room() -> Iterator[None]:
    """Leaves out its writes where the disk is full; raises every other error."""
    try:
        with transaction.atomic():
            yield
    except OperationalError as wrong:
        if "full" not in str(wrong):
            raise
