"""Prints of a programme against the template that they are of: each measured, and the stems of each set added up."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec

from lattice.bench.loudness import Loudness, LoudnessNote, measure_print, remarks
from lattice.bench.null_test import Residual, residual
from lattice.bench.prints.files import PrintFiles, match
from lattice.bench.prints.model import printed
from lattice.bench.progress import Progress, StepProgress
from lattice.errors import DocumentError
from lattice.graph.signal_graph import SignalGraph
from lattice.model.document import Stem, Template
from lattice.model.layouts import channel_count

MEASURING = 0.8  # of the time; the rest is adding up


class MeasuredPrint(msgspec.Struct, frozen=True, kw_only=True):
    """One file: its stem, figures and comments, or the reason for missing ones."""

    file: str
    stem: str = ""  # its name; empty where the file is of none
    loudness: Loudness | None = None
    remarks: tuple[LoudnessNote, ...] = ()
    problem: str = ""


class AddedUp(msgspec.Struct, frozen=True, kw_only=True):
    """One set: the residual of its mix without its stems, or the reason for a missing one."""

    set: str
    mix: str
    stems: tuple[str, ...] = ()
    left: Residual | None = None
    problem: str = ""


class Programme(msgspec.Struct, frozen=True, kw_only=True):
    """A lot of prints, measured."""

    prints: tuple[MeasuredPrint, ...]
    sets: tuple[AddedUp, ...]


def measure_programme(template: Template, paths: Sequence[Path], progress: StepProgress) -> Programme:
    """Measures prints and adds up the stems of each set.

    Parameters
    ----------
    template
        Whose stems they are of, by name, and whose profile they are held against.
    paths
        The files.
    progress
        Called with the share that is done and the current step; an exception it raises ends it.
    """
    graph = SignalGraph(template)
    matched = match(graph, printed(graph), paths)
    by_id = {stem.id: stem for stem in template.stems}
    stem_of = {
        path.name: by_id[stem] for stem, one in matched.prints.items() for path in one.paths if len(one.paths) == 1
    }
    measured: dict[str, Loudness] = {}
    problems: dict[str, str] = {}
    for done, path in enumerate(paths):
        stem = stem_of.get(path.name)
        try:
            measured[path.name] = measure_print(
                path, stem.layout if stem else None, _part(progress, done, len(paths), path)
            )
        except DocumentError as wrong:
            problems[path.name] = wrong.problems[0]
    rows = [_row(template, path.name, stem_of, measured, problems) for path in paths]
    by_stem = {stem.id: measured[name] for name, stem in stem_of.items() if name in measured}
    return Programme(prints=tuple(rows), sets=tuple(_sets(template, matched.prints, by_stem, progress)))


def _part(progress: StepProgress, done: int, count: int, path: Path) -> Progress:
    return lambda share: progress((done + share) / count * MEASURING, path.name)


def _row(
    template: Template, name: str, stem_of: dict[str, Stem], measured: dict[str, Loudness], problems: dict[str, str]
) -> MeasuredPrint:
    stem, one = stem_of.get(name), measured.get(name)
    if one is None:
        return MeasuredPrint(file=name, stem=stem.name if stem else "", problem=problems[name])
    mates = [other for at, other in measured.items() if stem and at in stem_of and stem_of[at].set == stem.set]
    said = tuple(remarks(one, template.profile, stem, mates))
    return MeasuredPrint(file=name, stem=stem.name if stem else "", loudness=one, remarks=said)


def _sets(
    template: Template, files: dict[str, PrintFiles], by_stem: dict[str, Loudness], progress: StepProgress
) -> Iterator[AddedUp]:
    """Each set of which a mix and stems are there."""
    for name in dict.fromkeys(stem.set for stem in template.stems):
        members = [stem for stem in template.stems if stem.set == name and stem.id in by_stem]
        parts = [stem for stem in members if stem.role == "stem"]
        mix = next((stem for stem in members if stem.role == "mix"), None)
        if mix is None or not parts:
            continue
        forms = {(by_stem[stem.id].layout, by_stem[stem.id].sample_rate_hz) for stem in (*parts, mix)}
        if len(forms) > 1:
            yield AddedUp(set=name, mix=mix.name, problem="its prints have different layouts or rates")
            continue
        layout, rate = forms.pop()
        words = f"Null test {mix.name}"
        left = residual(
            files[mix.id], [files[stem.id] for stem in parts], rate, channel_count(layout),
            _last(progress, words),
        )  # fmt: skip
        yield AddedUp(set=name, mix=mix.name, stems=tuple(stem.name for stem in parts), left=left)


def _last(progress: StepProgress, words: str) -> Progress:
    return lambda share: progress(MEASURING + share * (1 - MEASURING), words)
