"""The command line: the core on files, without the web application (command-line.md).

Exit status: 0 done (audit: nothing at or above the level), 1 findings, 2 unusable input.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lattice import __version__
from lattice.errors import DocumentError
from lattice.exports import EXPORTS
from lattice.formats.registry import read as read_template
from lattice.model.document import Template

if TYPE_CHECKING:
    from lattice.checks.audit import Audit
    from lattice.formats.tables.choices import Choices
    from lattice.matters.matter import Matter
    from lattice.model.inventory import Inventory

# Exit statuses as common tools have them: 1 says “found something”, 2 “could not look”.
COULD_NOT = 2
RUNS = 5  # of --times, after one warm-up


def main(arguments: list[str] | None = None) -> int:
    """Runs one command.

    Parameters
    ----------
    arguments
        Words behind the program's name; None for those it was called with.

    Returns
    -------
    int
        Exit status: 0 done (audit: nothing at or above the level), 1 findings, 2 unusable input.
    """
    options = _parser().parse_args(arguments)
    try:
        return int(options.run(options))
    except DocumentError as error:
        for problem in error.problems:
            print(f"{getattr(options, 'file', '-')}: {problem}", file=sys.stderr)
    except BrokenPipeError:  # whoever read our output has enough
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115 - for the flush at exit
        return 0
    except (OSError, ValueError) as error:
        print(f"lattice: {error}", file=sys.stderr)
    return COULD_NOT


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="lattice", description="Maps and checks session templates.")
    parser.add_argument("--version", action="version", version=f"Intact Lattice {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(
        name: str, run: Callable[[argparse.Namespace], int], words: str, *, file: bool = True
    ) -> argparse.ArgumentParser:
        added = commands.add_parser(name, help=words, description=words)
        added.set_defaults(run=run)
        if file:
            added.add_argument(
                "file", metavar="FILE", help="a document (.json), a track sheet (.csv), or - for standard input"
            )
        return added

    audit = command("audit", _audit, "what is wrong with a template")
    audit.add_argument("--json", action="store_true", help="findings and matters as JSON")
    audit.add_argument("--all", action="store_true", help="every finding with its evidence, not the matters")
    audit.add_argument(
        "--fail-on", choices=("blocker", "warning", "note"), default="blocker", help="level that makes exit status 1"
    )
    audit.add_argument("--awake", action="store_true", help="with every sleeping insert on")
    audit.add_argument("--inventory", metavar="FILE", help="check against what a machine has (CSV or JSON)")
    audit.add_argument("--times", action="store_true", help="add times to the JSON: medians of 5 runs")
    planned = command("plan", _plan, "the shortest list of remedies, and what each does")
    planned.add_argument("--json", action="store_true", help="the plan as JSON")
    planned.add_argument("--apply", metavar="OUT.json", help="write the template with all steps done")
    planned.add_argument("--only", metavar="CODE,…", default="", help="codes or families to put right")
    explained = command("explain", _explain, "what a code means", file=False)
    explained.add_argument(
        "code", metavar="CODE", nargs="?", help="a code of findings; all are listed where it is left out"
    )
    for name, words in (
        ("levels", "levels at every stage"),
        ("timing", "when sound arrives where"),
        ("stems", "what of each source stands in each stem"),
    ):
        shown = command(name, _figures, words)
        shown.set_defaults(what=name)
        shown.add_argument("--json", action="store_true", help="all figures as JSON")
    trace = command("trace", _trace, "the ways sound takes from a strip")
    trace.add_argument("--from", dest="start", required=True, metavar="ID", help="strip, or strip/outlet")
    trace.add_argument("--to", dest="end", metavar="ID", help="strip; every endpoint where it is left out")
    trace.add_argument("--json", action="store_true", help="paths as JSON")
    diff = command("diff", _diff, "what changed between two documents")
    diff.add_argument("other", metavar="B", help="the later document")
    diff.add_argument("--json", action="store_true", help="changes as JSON")
    convert = command("convert", _convert, "a template in another open form")
    convert.add_argument("--to", required=True, choices=tuple(EXPORTS))
    convert.add_argument("--columns", metavar="MAP.json", help="what the columns and words of a table are")
    merge = command("merge", _merge, "a template with what a newer table of it says")
    merge.add_argument("sheet", metavar="SHEET", help="the newer table")
    merge.add_argument("--columns", metavar="MAP.json", help="what its columns and words are")
    merge.add_argument("--remove", action="store_true", help="remove strips that the table does not have any more")
    merge.add_argument(
        "-o", dest="out", metavar="OUT", required=True, help="where the template goes; - is standard output"
    )
    sources = command("sources", _sources, "measured levels of recordings, put into the strips of the same names")
    sources.add_argument(
        "recordings", metavar="WAV", nargs="+", help="recordings (WAV, RF64, FLAC), or folders of them"
    )
    sources.add_argument("-o", dest="out", metavar="OUT", required=True, help="where it goes; - is standard output")
    columns = command("columns", _columns, "what the columns and words of a table are taken for, as a MAP.json")
    columns.add_argument("--columns", metavar="MAP.json", help="choices to begin with")
    generate = command("generate", _generate, "a large realistic template", file=False)
    generate.add_argument("--strips", type=int, default=300)
    generate.add_argument("--seed", type=int, default=1)
    generate.add_argument("--worn", action="store_true", help="with the mistakes of a long job")
    return parser


def read(name: str) -> Template:
    """The template in a file by its name, or on standard input (`-`; what it is shows by its first sign)."""
    return read_template(_bytes(name), name)


def _bytes(name: str) -> bytes:
    if name == "-":
        return sys.stdin.buffer.read()
    path = Path(name)
    try:
        return path.read_bytes()
    except OSError as error:
        raise DocumentError([error.strerror or str(error)]) from None


def _write(value: Any) -> None:
    import msgspec

    sys.stdout.buffer.write(msgspec.json.format(msgspec.json.encode(value), indent=2) + b"\n")
    sys.stdout.flush()


def _audit(options: argparse.Namespace) -> int:
    from lattice.analysis import Analysis
    from lattice.checks import audit_of
    from lattice.gc_paused import gc_paused
    from lattice.matters.matter import matters_of

    name, data = options.file, _bytes(options.file)
    template = read_template(data, name)
    if options.awake:
        from lattice.edits.awake import awake

        template = awake(template)
    with gc_paused():
        analysis = Analysis(template, _inventory(options))
        result = audit_of(analysis)
    if options.json or options.times:
        answer: dict[str, Any] = {
            "format": "intact-lattice.audit", "version": 1, "summary": result.summary,
            "findings": [finding.as_json() for finding in result.findings],
            "matters": [matter.as_json() for matter in matters_of(analysis, result)],
        }  # fmt: skip
        if options.times:
            answer["times"] = _times(data, name)
        _write(answer)
    else:
        _print_findings(result) if options.all else _print_matters(matters_of(analysis, result))
        counts = ", ".join(
            f"{count} {word}" + ("s" if count != 1 and word != "waived" else "")
            for word, count in result.summary.items()
        )
        print(f"{template.name}: {len(template.strips)} strips, {len(template.routes)} routes; {counts}")
    return 1 if result.at_least(options.fail_on) else 0


def _print_findings(result: Audit) -> None:
    for finding in result.findings:
        state = "waived" if finding.waived else finding.severity
        print(f"{state:8} {finding.code:22} {finding.message}")
        for line in finding.evidence:
            print(f"{'':31} {line}")


def _print_matters(matters: tuple[Matter, ...]) -> None:
    """A line a matter, what follows from it under it, and its evidence where it is one finding."""
    for matter in matters:
        many = f" (×{len(matter.findings)})" if len(matter.findings) > 1 else ""
        print(f"{matter.severity:8} {matter.code:22} {matter.message}{many}")
        for line in matter.own[0].evidence if len(matter.own) == 1 else ():
            print(f"{'':31} {line}")
        for finding in matter.consequences:
            print(f"{'':31} so {finding.code}: {finding.message}")


def _plan(options: argparse.Namespace) -> int:
    from lattice.formats.document_json import dump
    from lattice.matters.plan import plan

    made = plan(read(options.file), only=tuple(filter(None, options.only.split(","))))
    if options.apply:
        Path(options.apply).write_bytes(dump(made.template))
    answer = made.as_json()
    if options.json:
        _write(answer)
        return 0
    for number, step in enumerate(made.steps, start=1):
        print(f"{number:3}  {step.sentence}: {step.said}")
    for question in made.questions:
        print(f"  ?  {question.matter.message}")
        for remedy, effect in question.answers:
            print(f"     {remedy.label}: {effect.sentence}")
    for when in ("before", "after"):
        print(f"{when:6} " + ", ".join(f"{count} {word}s" for word, count in answer[when].items()))
    return 0


def _explain(options: argparse.Namespace) -> int:
    import lattice.checks  # noqa: F401 - registers all
    from lattice.checks.registry import EXPLANATIONS

    if options.code is None:
        for code, known in EXPLANATIONS.items():
            print(f"{code:24} {known.found}")
        return 0
    if options.code not in EXPLANATIONS:
        raise ValueError(f"there is no code {options.code}; lattice explain lists all")
    known = EXPLANATIONS[options.code]
    for words, text in (
        ("Found", known.found),
        ("Why", known.why),
        ("How", known.how),
        ("Mostly put right by", known.fix),
    ):
        print(f"{words}: {text}")
    return 0


def _inventory(options: argparse.Namespace) -> Inventory | None:
    """The inventory in a file, CSV or JSON; what is wrong with it is said of that file."""
    if not options.inventory:
        return None
    from lattice.formats import inventory

    options.file = options.inventory
    return inventory.load(_bytes(options.inventory), Path(options.inventory).stem)


def _times(data: bytes, name: str) -> dict[str, float]:
    """Medians of parsing, and of everything from the decoded structs to the finished findings."""
    from statistics import median
    from time import perf_counter

    from lattice.checks import audit

    parse_ms, compute_ms = [], []
    for _run in range(RUNS + 1):
        start = perf_counter()
        template = read_template(data, name)
        between = perf_counter()
        audit(template)
        parse_ms.append((between - start) * 1000)
        compute_ms.append((perf_counter() - between) * 1000)
    return {"parse_ms": round(median(parse_ms[1:]), 3), "compute_ms": round(median(compute_ms[1:]), 3)}


def _figures(options: argparse.Namespace) -> int:
    """The figures behind the checks of levels or timing."""
    from lattice.analysis import Analysis
    from lattice.levels import report as levels
    from lattice.stems import report as stems
    from lattice.timing import report as timing

    analysis = Analysis(read(options.file))
    report: Any = {"levels": levels, "timing": timing, "stems": stems}[options.what]
    figures = getattr(analysis, {"levels": "levels", "timing": "arrivals", "stems": "ledger"}[options.what])
    if options.json:
        _write(report.as_json(figures))
    else:
        print("\n".join(report.as_lines(figures)))
    return 0


def _trace(options: argparse.Namespace) -> int:
    from lattice.graph.signal_graph import SignalGraph
    from lattice.trace import HopFigures, as_json, hop_line, sentence, trace

    graph = SignalGraph(read(options.file))
    traced = trace(graph, options.start, options.end)
    if options.json:
        _write(as_json(graph, traced))
        return 0
    figures = HopFigures.of(graph)
    for path in traced.paths:
        print(sentence(graph, path, traced) + ".")
        for route, at in zip(path.routes, figures.along(path), strict=True):
            print(f"  {hop_line(graph, route, at)}")
        for blocker in path.blockers:
            print(f"  blocked: {blocker.sentence}")
    if not traced.paths:
        print(f"no way from {options.start} to {options.end or 'any endpoint'}")
    if not traced.complete:
        print(f"and more: the first {len(traced.paths)} are listed")
    return 0


def _diff(options: argparse.Namespace) -> int:
    from lattice.changes.compare import as_json, compare

    before = read(options.file)
    try:
        after = read(options.other)
    except DocumentError:
        options.file = options.other
        raise
    changes = compare(before, after)
    if options.json:
        _write(as_json(changes))
    else:
        print("\n".join(str(change) for change in changes) or "no difference")
    return 0


def _convert(options: argparse.Namespace) -> int:
    from lattice.formats.registry import SHEET

    if options.columns or options.file.lower().endswith(SHEET.endings):
        from lattice.formats import any_table

        choices = _choices(options) if options.columns else None
        template = any_table.load(
            _bytes(options.file), Path(options.file).stem, choices,
            lambda sentence: print(f"{options.file}: {sentence}", file=sys.stderr),
        )  # fmt: skip
    else:
        template = read(options.file)
    sys.stdout.buffer.write(EXPORTS[options.to].write(template))
    sys.stdout.flush()
    return 0


def _choices(options: argparse.Namespace) -> Choices:
    """The choices in a file; what is wrong with them is said of that file."""
    from lattice.formats.tables.choices import Choices, load_choices

    if not options.columns:
        return Choices()
    try:
        return load_choices(_bytes(options.columns))
    except DocumentError:
        options.file = options.columns
        raise


def _columns(options: argparse.Namespace) -> int:
    """Every choice as it is made, and on standard error what is unclear."""
    from lattice.formats import any_table

    understood = any_table.read_any(_bytes(options.file), Path(options.file).stem, _choices(options))
    sys.stdout.buffer.write(understood.choices.dump() + b"\n")
    sys.stdout.flush()
    for sentence in any_table.said(understood.open, understood):
        print(f"{options.file}: {sentence}", file=sys.stderr)
    return 0


def _merge(options: argparse.Namespace) -> int:
    """Takes all that a newer table says; what it does not understand refuses it as a whole."""
    from lattice.edits.merge import GONE, differences, merged
    from lattice.errors import first_problems
    from lattice.formats import any_table
    from lattice.formats.document_json import dump

    template = read(options.file)
    data, choices = _bytes(options.sheet), _choices(options) if options.columns else None
    options.file = options.sheet
    newer, _table = any_table.newer_of(template, data, choices)
    if newer.problems:
        raise DocumentError(first_problems(map(str, newer.problems)))
    found = differences(template, newer.template, newer.gone, newer.renamed)
    keys = [one.key for one in found if options.remove or one.kind != GONE]
    for one in found:
        left = " (stays: --remove takes it out)" if one.kind == GONE and not options.remove else ""
        print(f"{one.kind:8} {'; '.join(map(str, one.changes))}{left}", file=sys.stderr)
    after = merged(template, newer.template, keys, newer.gone) if keys else template
    _put(options.out, dump(after))
    return 0


def _sources(options: argparse.Namespace) -> int:
    """Measures recordings; what cannot be measured refuses all of it."""
    from lattice.bench.recordings import measure_all, recordings_in
    from lattice.edits import apply
    from lattice.edits.recordings import strips_called
    from lattice.formats.document_json import dump

    template, levels, problems = read(options.file), [], []
    for path, result in measure_all(recordings_in(map(Path, options.recordings))):
        if isinstance(result, DocumentError):
            problems += [f"{path}: {problem}" for problem in result.problems]
            continue
        strip = strips_called(template, [result.name]).get(result.name)
        if strip is None or not result.sounds:
            said = "has no sound above −60 dBFS" if strip else f"no strip that plays something is called {result.name}"
            print(f"{path}: {said}", file=sys.stderr)
            continue
        levels.append({"strip": strip, **result.levels})
        figures = f"peak {result.levels['peak_dbfs']:.2f} dBFS (true peak), RMS {result.levels['rms_dbfs']:.2f} dBFS"
        print(f"{path}: {strip}, {figures}", file=sys.stderr)
    if problems:
        print("\n".join(problems), file=sys.stderr)
        return COULD_NOT
    _put(options.out, dump(apply(template, "take_levels", {"levels": levels})))
    return 0


def _put(name: str, data: bytes) -> None:
    """Into a file, or to standard output (`-`)."""
    if name != "-":
        Path(name).write_bytes(data)
        return
    sys.stdout.buffer.write(data)
    sys.stdout.flush()


def _generate(options: argparse.Namespace) -> int:
    from lattice.formats.document_json import dump
    from lattice.generate import generate

    sys.stdout.buffer.write(dump(generate(options.strips, options.seed, worn=options.worn)))
    sys.stdout.flush()
    return 0
