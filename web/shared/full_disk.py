"""What is only put down, and need not be, where nothing can be written: signing in to read goes on with a full disk."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import OperationalError, transaction


@contextmanager
def written_if_there_is_room() -> Iterator[None]:
    """What is written within it is left out where the disk is full; anything else that is wrong is raised."""
    try:
        with transaction.atomic():
            yield
    except OperationalError as wrong:
        if "full" not in str(wrong):
            raise
