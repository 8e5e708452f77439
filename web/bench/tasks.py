"""Work of the bench in the background: prints read, tones played, programmes measured."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from lattice.analysis import Analysis
from lattice.bench.faults import built
from lattice.bench.kit.slots import load
from lattice.bench.prints.files import Matched, PrintFiles
from lattice.bench.prints.model import expected, printed
from lattice.bench.prints.reader import read_prints, reading_of
from lattice.bench.prints.reading import Reading as PrintsRead
from lattice.bench.prints.reading import from_json
from lattice.bench.prints.verdict import judge
from lattice.bench.programme import measure_programme as measure
from lattice.bench.progress import StepProgress
from lattice.bench.source_checks import each_in_turn
from lattice.bench.stand_in import cells_of
from lattice.bench.tone import origins_of, play_tone
from lattice.errors import DocumentError
from lattice.formats.document_json import read_back
from lattice.model.selectors import select
from web.bench.models import Programme, Reading, ToneRun
from web.shared.jobs import Job, queue
from web.shelf.heads import document_of


def _reporter(job: Job) -> StepProgress:
    """Report progress to a job at every whole percent: each report is a write."""
    last = -1

    def progress(share: float, words: str) -> None:
        nonlocal last
        percent = min(int(share * 100), 99)
        if percent != last:
            last = percent
            job.report(words, percent)

    return progress


@queue.task()
def read_prints_of(pk: int) -> None:
    """Read prints, or play a simulated session; the files are deleted after the reading unless they should stay."""
    reading = Reading.objects.select_related("kit").filter(pk=pk).first()
    if reading is None:
        return
    progress = _reporter(reading)

    def work() -> dict[str, Any]:
        template, kit = read_back(document_of(bytes(reading.kit.head))), load(bytes(reading.kit.content))
        analysis = Analysis(template)
        made = [path for path in reading.files if path.suffix.lower() == ".json"]
        if made:
            found = from_json(made[0].read_bytes(), analysis, kit, progress)
        elif reading.stand_in is None:
            found = read_prints(analysis, kit, reading.files, reading.assigned, progress)
        else:
            found = _stand_in(analysis, kit, reading.stand_in, progress)
        return {**judge(analysis, kit, found).as_json(), **_plain(found)}

    reading.make(work, refused=(DocumentError,))
    if not Reading.objects.filter(pk=pk, state=Reading.DONE, keeps_files=True).exists():
        reading.forget_files()


def _stand_in(analysis: Analysis, kit: Any, faults: list[str], progress: StepProgress) -> PrintsRead:
    """The prints of the simulated session, read without files in between."""
    template = analysis.template
    session = built(template, faults)
    wanted = expected(template, kit, lambda share: progress(share / 2, "Playing the test signal"))
    cells = cells_of(template, kit, session, lambda share: progress(0.5 + share / 2, "Running the simulated session"))
    matched = Matched({stem: PrintFiles(stem, [Path(stem)]) for stem in cells})
    return reading_of(analysis, kit, printed(analysis.graph), wanted, cells, matched, {})


def _plain(found: PrintsRead) -> dict[str, Any]:
    plain: dict[str, Any] = msgspec.to_builtins(found)
    return {name: plain[name] for name in ("template", "kit", "prints", "slots", "expected", "unmatched")}


@queue.task()
def play_tone_run(pk: int) -> None:
    """Plays a test tone."""
    run = ToneRun.objects.select_related("template").filter(pk=pk).first()
    if run is None:
        return
    progress = _reporter(run)

    def work() -> dict[str, Any]:
        if run.template.version != run.version:
            raise DocumentError(["the template has changed; run it again"])
        template = read_back(document_of(bytes(run.template.head)))
        analysis = Analysis(template)
        origins = origins_of(analysis, select(template, run.asked["sources"]))
        wanted = run.wanted(run.asked["seconds"])
        if run.asked["each"]:
            turns = each_in_turn(analysis, origins, wanted, lambda share: progress(share, "Each source in turn"))
            return {"turns": [{**msgspec.to_builtins(one), "differs": one.differs} for one in turns]}
        heard = play_tone(analysis, origins, wanted, lambda share: progress(share, "Playing"))
        return {"heard": msgspec.to_builtins(heard)}

    run.make(work, refused=(DocumentError,))


@queue.task()
def measure_programme(pk: int) -> None:
    """Measures prints of a programme, and adds the stems of each set up; the files go when that is done."""
    programme = Programme.objects.select_related("template").filter(pk=pk).first()
    if programme is None:
        return
    progress = _reporter(programme)

    def work() -> dict[str, Any]:
        template = read_back(document_of(bytes(programme.template.head)))
        made: dict[str, Any] = msgspec.to_builtins(measure(template, programme.files, progress))
        return made

    programme.make(work, refused=(DocumentError,))
    programme.forget_files()
