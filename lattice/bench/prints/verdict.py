"""The verdict on a reading: findings, as an audit has them, gathered into matters with where to look."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from lattice.analysis import Analysis
from lattice.bench.kit.slots import Kit
from lattice.bench.prints.codes import OFFSET, SEVERITY, SILENT, UNREAD
from lattice.bench.prints.differences import (
    CHANNELS,
    DELAY,
    LEVEL,
    MISSING,
    POLARITY,
    UNEXPECTED,
    Compared,
    Difference,
    compare,
)
from lattice.bench.prints.model import printed
from lattice.bench.prints.print_paths import PrintPaths
from lattice.bench.prints.reading import PrintRead, Reading
from lattice.bench.prints.suspects import MOST_SUSPECTS, FaultLocator
from lattice.checks.finding import SEVERITIES, Finding
from lattice.graph.origin import Origin
from lattice.model.document import Template
from lattice.model.units import samples_to_ms, words_db

WET_SAMPLES = 96  # a wet-only print may begin this late


class AsBuilt(NamedTuple):
    """One finding of a reading, with its suspects and the number of its issue."""

    finding: Finding
    suspects: tuple[str, ...]
    matter: int


class Verdict(NamedTuple):
    """The findings of a reading about the session. Issues count from 0, in the order of their first findings."""

    found: tuple[AsBuilt, ...]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """Its findings."""
        return tuple(one.finding for one in self.found)

    @property
    def is_clean(self) -> bool:
        """Return whether the session is as mapped."""
        return not self.found

    @property
    def summary(self) -> dict[str, int]:
        """Findings by severity, and matters."""
        count = Counter(one.finding.severity for one in self.found)
        return {severity: count[severity] for severity in SEVERITIES} | {"matters": len({o.matter for o in self.found})}

    def as_json(self) -> dict[str, Any]:
        """Summary and findings of `read-prints --json`."""
        rows = [
            {**one.finding.as_json(), "suspects": list(one.suspects), "matter": one.matter + 1} for one in self.found
        ]
        return {"summary": self.summary, "findings": rows}


def judge(analysis: Analysis, kit: Kit, reading: Reading) -> Verdict:
    """The verdict on a reading.

    Parameters
    ----------
    analysis, kit
        Of the template that was printed, and the kit.
    reading
        With the model's own rendering in it (`Reading.expected`).
    """
    return _Judging(analysis, kit, reading).verdict()


class _Judging:
    """Findings from differences; prints as a whole are judged first."""

    def __init__(self, analysis: Analysis, kit: Kit, reading: Reading) -> None:
        self.analysis, self.kit, self.reading = analysis, kit, reading
        self.prints = {one.stem.id: one.strip for one in printed(analysis.graph)}
        self.names = stem_names(analysis.template)
        self.read = {one.stem: one for one in reading.prints if not one.problem}
        self.expected, self.mine = reading.by_stem(model=True), reading.by_stem()
        self.common = _common([one.offset_samples for one in self.read.values()])
        self.late = {
            stem: one.offset_samples - self.common
            for stem, one in self.read.items()
            if abs(one.offset_samples - self.common) > (0 if self._is_timed(stem) else WET_SAMPLES)
        }
        self.silent = [stem for stem in self.read if self._is_silent(stem)]

    def _is_timed(self, stem: str) -> bool:
        """Return whether a burst itself is in a print: of wet sound alone, when it begins is known to 2 ms."""
        return any(one.is_coherent for outs in self.mine[stem].values() for one in outs)

    def _is_silent(self, stem: str) -> bool:
        wanted = any(one.present for outs in self.expected.get(stem, {}).values() for one in outs)
        return wanted and not any(one.present for outs in self.mine[stem].values() for one in outs)

    def verdict(self) -> Verdict:
        """Findings in the order of issues; unreadable prints are separate, at the end."""
        compared = compare(self.kit, self.analysis.graph, self.expected, self.mine, list(self.read))
        compared = self._with_late_prints(compared)
        found: list[AsBuilt] = []
        whole = [*self.silent, *self.late]
        matters = (
            FaultLocator(PrintPaths(self.analysis), compared, self.prints, whole).matters()
            if compared.differences
            else []
        )
        for number, matter in enumerate(matters):
            for finding in self._findings([compared.differences[n] for n in matter.differences]):
                found.append(AsBuilt(finding, matter.suspects, number))
        for number, one in enumerate((p for p in self.reading.prints if p.problem), start=len(matters)):
            found.append(AsBuilt(self._unread(one), (), number))
        return Verdict(tuple(found))

    def _with_late_prints(self, compared: Compared) -> Compared:
        """A print that is late as a whole: each of its sources is, as far as the search for the fault goes."""
        if not self.late:
            return compared
        own = {one.pair: one.late_samples for one in compared.differences if one.code == DELAY}
        differences = [one for one in compared.differences if one.code != DELAY or one.pair.stem not in self.late]
        pairs = {*compared.as_mapped, *(one.pair for one in compared.differences)}
        late = [pair for pair in sorted(pairs) if pair.stem in self.late]
        for pair in late:
            whole = self.late[pair.stem] + own.get(pair, 0)
            if whole:
                differences.append(Difference(DELAY, pair, late_samples=whole, detail=OFFSET))
        return compared._replace(
            differences=differences, as_mapped=[pair for pair in compared.as_mapped if pair.stem not in self.late]
        )

    # findings

    def _findings(self, differences: Sequence[Difference]) -> Iterator[Finding]:
        said: set[tuple[str, str]] = set()
        for one in differences:
            stem = one.pair.stem
            if one.code == MISSING and stem in self.silent:
                whole = (SILENT, stem)
                finding = self._silent_print(stem)
            elif one.detail == OFFSET:
                whole = (OFFSET, stem)
                finding = self._late_print(stem)
            else:
                yield self._difference(one)
                continue
            if whole not in said:
                said.add(whole)
                yield finding

    def _difference(self, one: Difference) -> Finding:
        graph = self.analysis.graph
        origin = one.pair.origin
        name, stem = self.analysis.source_name(*origin), self.names[one.pair.stem]
        figures: dict[str, float | None] = {}
        if one.code == MISSING:
            figures = {"expected_db": one.expected_db}
            message = f"{name} is missing from the print of {stem}"
        elif one.code == UNEXPECTED:
            figures = {"gain_db": one.read_db}
            message = f"{name} is in the print of {stem} at {words_db(one.read_db, plus=True)} dB, not mapped"
        elif one.code == LEVEL:
            figures = {"expected_db": one.expected_db, "read_db": one.read_db}
            message = f"{name} is {_louder(one.change_db)} in the print of {stem} than mapped"
        elif one.code == DELAY:
            figures = {"late_samples": one.late_samples}
            message = f"{name} is {self._late(one.late_samples)} in the print of {stem}"
        elif one.code == POLARITY:
            message = f"{name} has inverted polarity in the print of {stem}"
        else:
            message = f"{name} is on wrong channels in the print of {stem}: {one.detail}"
        return Finding(
            code=one.code, severity=SEVERITY[one.code], message=message, strips=(graph.strips[origin.strip].id,),
            stems=(one.pair.stem,), outlets=self._outlet(origin), figures=figures,
            evidence=self._evidence(one),
        )  # fmt: skip

    def _outlet(self, origin: Origin) -> tuple[str, ...]:
        return self.analysis.outlet_id(*origin)

    def _evidence(self, one: Difference) -> tuple[str, ...]:
        if one.code == LEVEL:
            return (f"mapped {words_db(one.expected_db, plus=True)} dB, printed {words_db(one.read_db, plus=True)} dB",)
        if one.code == MISSING:
            return (f"mapped {words_db(one.expected_db, plus=True)} dB",)
        return (one.detail,) if one.code == CHANNELS else ()

    def _late(self, samples: int) -> str:
        ms = samples_to_ms(abs(samples), self.kit.sample_rate_hz)
        return f"{abs(samples)} samples ({ms:.1f} ms) {'late' if samples > 0 else 'early'}"

    def _late_print(self, stem: str) -> Finding:
        return Finding(
            code=OFFSET, severity=SEVERITY[OFFSET], stems=(stem,),
            message=f"Print of {self.names[stem]} starts {self._late(self.late[stem])} compared with the others",
            figures={"offset_samples": self.late[stem]},
        )  # fmt: skip

    def _silent_print(self, stem: str) -> Finding:
        return Finding(
            code=SILENT, severity=SEVERITY[SILENT], stems=(stem,),
            message=f"Print of {self.names[stem]} is silent",
        )  # fmt: skip

    def _unread(self, one: PrintRead) -> Finding:
        return Finding(
            code=UNREAD, severity=SEVERITY[UNREAD], stems=(one.stem,), evidence=one.files,
            message=f"Print of {self.names[one.stem]} was not read: {one.problem}",
        )  # fmt: skip


def stem_names(template: Template) -> dict[str, str]:
    """Names of stems; where two are called alike, with their set."""
    many = Counter(stem.name for stem in template.stems)
    return {stem.id: f"{stem.name} ({stem.set})" if many[stem.name] > 1 else stem.name for stem in template.stems}


def _louder(change_db: float) -> str:
    return f"{words_db(abs(change_db))} dB {'louder' if change_db > 0 else 'quieter'}"


def _common(offsets: Sequence[int]) -> int:
    """The offset that most prints have; of several, the smallest."""
    count = Counter(offsets)
    return max(count, key=lambda one: (count[one], -abs(one)), default=0)


def as_lines(verdict: Verdict, names: Mapping[str, str]) -> Iterator[str]:
    """The verdict as lines: matter by matter, where to look, and the findings."""
    by_matter: dict[int, list[AsBuilt]] = {}
    for one in verdict.found:
        by_matter.setdefault(one.matter, []).append(one)
    for number, ones in by_matter.items():
        suspects = [names.get(suspect, suspect) for suspect in ones[0].suspects[:MOST_SUSPECTS]]
        look = f"check {', '.join(suspects[:3])}" if suspects else ""
        many = f"{len(ones)} findings" if len(ones) > 1 else "1 finding"
        yield f"{number + 1}. {many}" + (f"; {look}" if look else "")
        for one in ones:
            yield f"   {one.finding.severity:8} {one.finding.code:20} {one.finding.message}"
