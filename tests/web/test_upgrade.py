"""A database of the version before people: it is brought up to date, and nothing in it is lost."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from pathlib import Path

BEFORE = Path(__file__).parent / "data" / "before_people.sql"
SEEN = """
import django; django.setup()
from django.contrib.auth.models import User
from web.shelf import services
from web.shelf.history import state_at, to_redo, to_undo
from web.shelf.models import MapView, StoredTemplate
from web.shelf.workspace import workspace
user = User.objects.get(username="owner")
stored = StoredTemplate.objects.get(name="Worn")
template = workspace(stored).template
print(stored.version, template.strips[0].fader_db, template.strips[0].pan, template.strips[0].mute)
print(state_at(stored, template, 3).strips[0].fader_db, to_undo(stored, user), "|", to_redo(stored, user))
for _ in range(2):
    stored = services.undo(stored.pk, user, stored.version)
print(workspace(stored).template == state_at(stored, workspace(stored).template, 1), stored.revisions.count())
print([(view.template.name, view.user.username, view.folded) for view in MapView.objects.all()])
"""


def test_an_older_database_is_brought_up_to_date_and_undo_goes_on_where_it_was(tmp_path: Path) -> None:
    database = sqlite3.connect(tmp_path / "lattice.sqlite3")
    database.executescript(BEFORE.read_text())
    database.close()
    settings = {**os.environ, "LATTICE_VAR": str(tmp_path), "DJANGO_SETTINGS_MODULE": "web.config.settings"}
    for command in (["-m", "django", "migrate", "--verbosity", "0"], ["-c", SEEN]):
        done = subprocess.run([sys.executable, *command], env=settings, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
    # Fader −3, −6 and back, pan, mute and back: the first and the pan remain.
    assert done.stdout.splitlines() == [
        "7 -3.0 0.25 False", "-6.0 5: Kick: pan | 6: Kick: mute", "True 1",
        "[('Worn (copy)', 'owner', ['kit'])]",
    ]  # fmt: skip
