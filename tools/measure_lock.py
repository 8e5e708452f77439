"""The time a write holds the lock: from its request, without other writers, to the end of the transaction.

    python tools/measure_lock.py [strips]

Bound: 10 ms at 3,000 strips. The numbers in docs/performance.md come from here.
"""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path
from statistics import median
from time import perf_counter
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
EDITS = 31


def main(strips: int = 3000) -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.environ |= {"LATTICE_VAR": folder, "DJANGO_SETTINGS_MODULE": "web.config.settings"}
        import django

        django.setup()
        times = sorted(_locked_ms(strips))
        print(f"{strips} strips, {EDITS} edits: median {median(times):.1f} ms under the lock, most {times[-1]:.1f} ms")


def _locked_ms(strips: int) -> list[float]:
    from django.contrib.auth import get_user_model
    from django.core.management import call_command

    from lattice.generate import generate
    from lattice.model.edit_step import EditStep
    from web.shelf import services

    call_command("migrate", verbosity=0)
    user: Any = get_user_model().objects.create_user("measure")
    stored = services.store(user, generate(strips))
    times: list[float] = []
    start = 0.0
    commit, keep = services.commit_state, services.keep

    def begun(*arguments: Any) -> Any:
        nonlocal start
        start = perf_counter()
        return commit(*arguments)

    def committed(*arguments: Any) -> Any:  # called when the transaction has ended
        times.append((perf_counter() - start) * 1000)
        return keep(*arguments)

    services.commit_state, services.keep = begun, committed
    for number in range(EDITS):
        change = {"strip": stored_strip(stored), "changes": {"fader_db": -1.0 - number}}
        stored = services.edit(stored.pk, user, stored.version, "measured", [EditStep("change_strip", change)])
    return times


def stored_strip(stored: Any) -> str:
    """The first strip of a stored template."""
    from web.shelf.workspace import workspace

    return workspace(stored).template.strips[0].id


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
