"""Actions of the bench: create kits, read prints, store answers, play tones."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from pathlib import PurePath
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from lattice.bench.faults import built
from lattice.bench.kit.making import kit_of
from lattice.bench.kit.slots import Kit, dump, load
from lattice.bench.prints.answers import edit_of
from lattice.bench.prints.model import printed
from lattice.bench.prints.verdict import stem_names
from lattice.changes.digests import document_digest
from lattice.checks.finding import Finding
from lattice.edits import apply_steps
from lattice.errors import EditError
from lattice.formats.document_json import read_back
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.bench.models import BenchRule, FilesJob, Programme, Reading, StoredKit, ToneRun
from web.bench.tasks import measure_programme, play_tone_run, read_prints_of
from web.shelf import services
from web.shelf.heads import document_of, head_of
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

MOST_KITS = 8  # stored for one template, with their readings
MOST_RUNS = 4  # tones, and lots of programme prints
LONGEST_NAME = 200


# kits


def make_kit(stored: StoredTemplate, sources: Sequence[str], tail_ms: float) -> StoredKit:
    """A kit for the current version. Raises EditError if no source is selected."""
    space = workspace(stored)
    made = kit_of(space.analysis, sources, tail_ms)
    kept = StoredKit.objects.create(
        template=stored, version=stored.version, digest=document_digest(space.template), head=head_of(space.template),
        content=dump(made), slots=len(made.slots), seconds=made.length_samples / made.sample_rate_hz,
    )  # fmt: skip
    for old in stored.kits.all()[MOST_KITS:]:
        for reading in old.readings.all():
            reading.delete()
        old.delete()
    return kept


def kit_in(kept: StoredKit) -> Kit:
    return load(bytes(kept.content))


def template_of(kept: StoredKit) -> Template:
    """The template at the version of the kit."""
    return read_back(document_of(bytes(kept.head)))


# files


def used_bytes(user: User | None) -> int:
    """The size of all files that a user uploaded."""
    lots = (lot for kind in (Reading, Programme, ToneRun) for lot in kind._default_manager.filter(by=user).only("pk"))
    return sum(path.stat().st_size for lot in lots for path in lot.files)


def take_file(lot: FilesJob, file: Any) -> None:
    """Keeps a file that was sent, once it is whole. Raises EditError where there is no room for it."""
    name = PurePath(str(file.name)).name[:LONGEST_NAME]
    if not name or name.startswith(".") or name.endswith(".part"):
        raise EditError("a file needs a name")
    if lot.state != FilesJob.GATHERING:
        raise EditError("these prints were read already. Start a new import.")
    size = file.size or 0
    if used_bytes(lot.by) + size > settings.PRINTS_QUOTA:
        room = settings.PRINTS_QUOTA / 1024**3
        raise EditError(f"{name}: not enough space; at most {room:.0f} GiB of prints can wait at a time")
    lot.folder.mkdir(parents=True, exist_ok=True)
    coming = lot.folder / f"{name}.part"
    try:
        with coming.open("wb") as to:
            for chunk in file.chunks():
                to.write(chunk)
        coming.replace(lot.folder / name)
    except OSError as wrong:
        coming.unlink(missing_ok=True)
        raise EditError(f"{name} was not saved: {wrong.strerror or wrong}") from None


def forget_file(lot: FilesJob, name: str) -> None:
    """Takes one file away."""
    for path in lot.files:
        if path.name == name:
            path.unlink()


# readings


def begin_reading(kept: StoredKit, user: User) -> Reading:
    """A lot of prints, to be sent file by file."""
    return Reading.objects.create(kit=kept, by=user, state=Reading.GATHERING)


def read(reading: Reading, assigned: dict[str, str], *, keeps_files: bool) -> None:
    """Has the prints read in the background. Raises EditError where there is none."""
    if not reading.files:
        raise EditError("No prints to read. Add files first.")
    stems = {one.stem.id for one in printed(SignalGraph(template_of(reading.kit)))}
    known = {name: stem for name, stem in assigned.items() if not stem or stem in stems}
    still = Reading.objects.filter(pk=reading.pk, state=Reading.GATHERING)
    if still.update(state=Reading.WAITING, assigned=known, keeps_files=keeps_files):
        read_prints_of(reading.pk)


def stand_in(kept: StoredKit, user: User, faults: Sequence[str]) -> Reading:
    """Play a kit in a simulated session. Raises EditError if a fault is not possible."""
    built(template_of(kept), faults)
    reading = Reading.objects.create(kit=kept, by=user, stand_in=list(faults))
    read_prints_of(reading.pk)
    return reading


def findings_of(reading: Reading) -> list[list[dict[str, Any]]]:
    """Findings by issue, as stored."""
    by_matter: dict[int, list[dict[str, Any]]] = {}
    for one in reading.content.get("findings", ()):
        by_matter.setdefault(one["matter"], []).append(one)
    return [by_matter[number] for number in sorted(by_matter)]


def as_findings(rows: Sequence[dict[str, Any]]) -> list[Finding]:
    return [
        Finding(code=row["code"], severity=row["severity"], message=row["message"], strips=tuple(row["strips"]),
                stems=tuple(row["stems"]), outlets=tuple(row["outlets"]), figures=row["figures"])
        for row in rows
    ]  # fmt: skip


def map_edit(template: Template, rows: Sequence[dict[str, Any]]) -> tuple[str, EditStep]:
    """The edit that applies the measured value to the map. Raises EditError if there is none."""
    return edit_of(template, as_findings(rows), rows[0]["suspects"])


def put_into_map(stored: StoredTemplate, user: User, base: int, reading: Reading, matter: int) -> StoredTemplate:
    """“The map is wrong”: one undoable edit; the matter is answered by it."""
    rows = next((rows for rows in findings_of(reading) if rows[0]["matter"] == matter), None)
    if rows is None:
        raise EditError("this issue is not in this reading")
    services.based_on(stored.pk, user, base)
    words, step = map_edit(workspace(stored).template, rows)
    label = f"{words}: reading of {reading.began_at:%Y-%m-%d %H:%M}"[:200]
    changed = services.change(stored.pk, user, base, label, lambda there: apply_steps(there, [step]))
    answer(reading, matter, "map")
    return changed


def answer(reading: Reading, matter: int, said: str) -> None:
    """Set the answer to an issue: correct the session, done, or none.

    Read again inside the transaction, which is immediate: other users' answers stay.
    """
    with transaction.atomic():
        known = Reading.objects.filter(pk=reading.pk).values_list("answers", flat=True).first() or {}
        answers = {**known, str(matter): said} if said else {n: old for n, old in known.items() if n != str(matter)}
        Reading.objects.filter(pk=reading.pk).update(answers=answers)


def newest_reading(stored: StoredTemplate, digest: str = "") -> Reading | None:
    """The newest reading that is done; of one state of the template where its digest is given."""
    done = Reading.objects.filter(kit__template=stored, state=Reading.DONE).select_related("kit")
    return (done.filter(kit__digest=digest) if digest else done).first()


def reading_json(reading: Reading) -> bytes:
    """A reading in the form of `read-prints --json`, with its answers."""
    plain = {"format": "intact-lattice.reading", "version": 1, **reading.content, "answers": reading.answers}
    plain.pop("expected", None)
    return json.dumps(plain, indent=1).encode()


def is_required(stored: StoredTemplate) -> bool:
    """Return whether releases require a clean reading."""
    return BenchRule.objects.filter(template=stored, is_required=True).exists()


def require(stored: StoredTemplate, *, wanted: bool) -> None:
    BenchRule.objects.update_or_create(template=stored, defaults={"is_required": wanted})


# tones and programmes


def begin_tone(stored: StoredTemplate, user: User, asked: dict[str, Any], file: Any = None) -> ToneRun:
    """Plays a tone in the background. Raises EditError where a recording is wanted and none has come."""
    if asked["signal"] == "file" and file is None:
        raise EditError("choose a recording first")
    for old in stored.tones.all()[MOST_RUNS - 1 :]:
        old.delete()
    run = ToneRun.objects.create(template=stored, by=user, version=stored.version, asked=asked, state=ToneRun.GATHERING)
    if asked["signal"] == "file":
        try:
            take_file(run, file)
        except EditError:
            run.delete()
            raise
    ToneRun.objects.filter(pk=run.pk).update(state=ToneRun.WAITING)
    play_tone_run(run.pk)
    return run


def begin_programme(stored: StoredTemplate, user: User) -> Programme:
    """A lot of prints of a programme, to be sent file by file."""
    for old in stored.programmes.all()[MOST_RUNS - 1 :]:
        old.delete()
    return Programme.objects.create(template=stored, by=user, version=stored.version, state=Programme.GATHERING)


def measure(programme: Programme) -> None:
    """Has them measured in the background. Raises EditError where there is none."""
    if not programme.files:
        raise EditError("No prints to read. Add files first.")
    if Programme.objects.filter(pk=programme.pk, state=Programme.GATHERING).update(state=Programme.WAITING):
        measure_programme(programme.pk)


def stems_of(kept: StoredKit) -> Iterator[tuple[str, str]]:
    """(id, name) of the stems that are printed."""
    template = template_of(kept)
    names = stem_names(template)
    for one in printed(SignalGraph(template)):
        yield one.stem.id, names[one.stem.id]
