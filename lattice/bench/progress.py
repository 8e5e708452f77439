"""Progress of long computations: callbacks, which may raise to cancel."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[float], object]  # the share that is done, 0 to 1
StepProgress = Callable[[float, str], object]  # the same, and the current step
CountProgress = Callable[[int, int], object]  # the number done, and the total


def no_progress(*_: object) -> None:
    """Ignore progress."""
