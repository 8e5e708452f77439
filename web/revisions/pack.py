"""The release pack of a revision: a ZIP that is the same, byte for byte, whenever it is made."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Callable

from lattice.formats import inventory
from lattice.formats.document_json import dump
from lattice.formats.track_sheet_writer import dump as dump_sheet
from lattice.model.document import Template
from lattice.model.inventory import inventory_of
from lattice.model.names import slug
from lattice.model.views import views_of
from web.accounts.names import name_of
from web.bench.services import newest_reading, reading_json
from web.remarks.models import Line
from web.remarks.services import threads
from web.revisions.models import Pack, Revision
from web.revisions.reports import Facts, manual_html, map_pdf, map_svg, report_html, to_pdf
from web.revisions.services import content
from web.shelf.workspace import Workspace

EPOCH = (2020, 1, 1, 0, 0, 0)  # ZIP entries need a date; this one has no meaning
READABLE = 0o644 << 16
ProgressCallback = Callable[[str, int], None]  # called with the next step and the percent done; may raise to stop


def facts_of(revision: Revision, template: Template) -> Facts:
    return Facts(
        name=template.name,
        number=revision.number,
        note=revision.note,
        sealed_by=revision.by,
        sealed_on=revision.at.date().isoformat(),
        signed_by=revision.signed_by,
        signed_on=revision.signed_at.date().isoformat() if revision.signed_at else "",
        digest=revision.digest,
        remarks=tuple(
            (one.about, "open" if one.is_open else "settled", tuple(_line(line) for line in one.lines.all()))
            for one in threads(revision.template)
        ),
    )


def _line(line: Line) -> str:
    return f"{name_of(line.by)}: {line.text}" if line.by is not None else line.text


def make_pack(revision: Revision, progress: ProgressCallback = lambda _step, _percent: None) -> bytes:
    """All files of the pack and the list of their checksums, as a ZIP."""
    space = Workspace(content(revision))
    facts = facts_of(revision, space.template)
    stem = f"{slug(facts.name)}-r{facts.number}"
    files: dict[str, bytes] = {}

    def add(name: str, percent: int, words: str, make: Callable[[], bytes]) -> None:
        progress(words, percent)
        files[f"{stem}/{name}"] = make()

    add("document.json", 5, "document", lambda: dump(space.template))
    add("track-sheet.csv", 10, "track sheet", lambda: dump_sheet(space.template))
    add("map.svg", 15, "map", lambda: map_svg(space, facts).encode())
    for key, view in enumerate(views_of(space.template), start=1):
        name = f"views/{key}-{slug(view.name)}.svg"
        add(name, 20, f"view {view.name}", lambda view=view: map_svg(space, facts, view).encode())  # type: ignore[misc]
    add("map.pdf", 25, "drawing sheet", lambda: map_pdf(files[f"{stem}/map.svg"].decode(), facts))
    add("report.pdf", 45, "report", lambda: to_pdf(report_html(space, facts), facts))
    add("manual.pdf", 75, "manual", lambda: to_pdf(manual_html(space, facts), facts))
    for machine in space.template.machines:
        if machine.kind == "computer":
            made = inventory_of(space.template, machine)
            add(f"inventory-{machine.id}.csv", 90, "inventories", lambda made=made: inventory.dump(made))  # type: ignore[misc]
    reading = newest_reading(revision.template, revision.digest)
    if reading is not None:
        add("reading.json", 93, "reading of its prints", lambda: reading_json(reading))
    progress("checksums", 95)
    lines = [f"{hashlib.sha256(data).hexdigest()}  {name.partition('/')[2]}\n" for name, data in sorted(files.items())]
    files[f"{stem}/checksums.sha256"] = "".join(lines).encode()
    return _zipped(files)


def report_in_pack(revision: Revision) -> bytes | None:
    """The report of the newest pack, as long as that is not from before the revision was signed; None where none is."""
    pack = revision.packs.filter(state=Pack.DONE).first()
    if pack is None or (revision.signed_at is not None and pack.began_at < revision.signed_at):
        return None
    with zipfile.ZipFile(io.BytesIO(bytes(pack.content))) as archive:
        name = next((name for name in archive.namelist() if name.endswith("/report.pdf")), None)
        return archive.read(name) if name else None


def _zipped(files: dict[str, bytes]) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            entry = zipfile.ZipInfo(name, EPOCH)
            entry.compress_type, entry.external_attr, entry.create_system = zipfile.ZIP_DEFLATED, READABLE, 3
            archive.writestr(entry, data)
    return made.getvalue()
