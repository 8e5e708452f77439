"""Server time of an edit on the map, audit and layout included, as the Server-Timing header says it.

Works on a database of its own in a temporary folder. The numbers in docs/performance.md come from here.
"""

from __future__ import annotations

import os
import sys
import tempfile
from statistics import median

SIZES = ((60, False), (300, True), (300, False), (3000, True))
EDITS = 15


def main() -> int:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["LATTICE_VAR"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "web.config.settings"
        import django  # noqa: PLC0415

        django.setup()
        from django.contrib.auth import get_user_model  # noqa: PLC0415
        from django.core.management import call_command  # noqa: PLC0415

        import web.config.wsgi  # noqa: F401, PLC0415 - for its settings of garbage collection

        call_command("migrate", verbosity=0)
        user = get_user_model().objects.create_user("measure")
        print("strips  map            edit ms   of it: write  audit+layout  draw   first page ms   answer kB")
        for strips, folded in SIZES:
            _measure(user, strips, folded=folded)
    return 0


def _measure(user: object, strips: int, *, folded: bool) -> None:
    from django.test import Client  # noqa: PLC0415

    from lattice.generate import generate  # noqa: PLC0415
    from web.shelf import services  # noqa: PLC0415

    stored = services.store(user, generate(strips))  # type: ignore[arg-type]
    client = Client(SERVER_NAME="localhost")
    client.force_login(user)  # type: ignore[arg-type]
    client.post(f"/t/{stored.pk}/write/fold/", {"section": "all" if folded else "none"})
    first = _timing(client.get(f"/t/{stored.pk}/map/"))["total"]
    rows, size = [], 0
    for number in range(EDITS):
        values = {"base": stored.version + number, "strip": "s0-t3", "fader_db": str(-number - 1)}
        answer = client.post(f"/t/{stored.pk}/write/change_strip/", values)
        if answer.status_code != 200:
            raise RuntimeError(answer.content.decode())
        rows.append(_timing(answer))
        size = len(answer.content)
    middle = {name: median(row[name] for row in rows) for name in rows[0]}
    shown = "folded" if folded else "all strips"
    parts = f"{middle['write']:5.0f}  {middle['audit-layout']:12.0f}  {middle['draw']:4.0f}"
    print(f"{strips:6}  {shown:10}  {middle['total']:11.0f}   {parts:>25}   {first:13.0f}   {size / 1000:9.0f}")


def _timing(answer: object) -> dict[str, float]:
    entries = answer["Server-Timing"].split(", ")  # type: ignore[index]
    return {name: float(value) for name, value in (entry.split(";dur=") for entry in entries)}


if __name__ == "__main__":
    sys.exit(main())
