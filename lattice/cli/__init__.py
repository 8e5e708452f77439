"""The command line: the core on files, without the web application (docs/reference/command-line.md).

Exit status: 0 done (audit: nothing at or above the level), 1 findings, 2 unusable input.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable, Sequence
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lattice import __version__
from lattice.cli import bench, edits, tables
from lattice.cli.files import COULD_NOT, read, read_bytes, write_json
from lattice.errors import DocumentError
from lattice.formats.registry import read as read_template

if TYPE_CHECKING:
    from lattice.analysis import Analysis
    from lattice.checks.audit import Audit
    from lattice.matters.at_inventory import Without
    from lattice.matters.matter import Matter
    from lattice.model.document import Template
    from lattice.model.inventory import Inventory

AddCommand = Callable[..., argparse.ArgumentParser]  # name, function, description, file=…
GROUP_HEADS = {"blocker": "Blockers", "wrong": "Wrong", "unfinished": "Unfinished", "assumed": "On assumed levels"}
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
    options = parser().parse_args(arguments)
    try:
        return int(options.run(options))
    except DocumentError as error:
        for problem in error.problems:
            print(f"{getattr(options, 'file', '-')}: {problem}", file=sys.stderr)
    except BrokenPipeError:  # the reader has closed our output
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115 - for the flush at exit
        return 0
    except (OSError, ValueError) as error:
        print(f"lattice: {error}", file=sys.stderr)
    except RuntimeError as error:
        if type(error).__module__ != "soundfile":  # which is imported only where sound is read or written
            raise
        print(f"lattice: audio cannot be written: {error}", file=sys.stderr)
    return COULD_NOT


def parser() -> argparse.ArgumentParser:
    """All commands with their options."""
    made = argparse.ArgumentParser(prog="lattice", description="Maps and checks session templates.")
    made.add_argument("--version", action="version", version=f"Intact Lattice {__version__}")
    commands = made.add_subparsers(required=True, metavar="COMMAND")

    def command(
        name: str,
        run: Callable[[argparse.Namespace], int],
        words: str,
        *,
        file: bool = True,
        aliases: Sequence[str] = (),
    ) -> argparse.ArgumentParser:
        added = commands.add_parser(name, help=words, description=words, aliases=aliases)
        added.set_defaults(run=run)
        if file:
            added.add_argument(
                "file", metavar="FILE", help="a document (.json), a track sheet (.csv), or - for standard input"
            )
        return added

    audit = command("audit", _audit, "list the findings of a template")
    audit.add_argument("--json", action="store_true", help="findings and issues (matters in JSON) as JSON")
    audit.add_argument("--all", action="store_true", help="every finding with its evidence, not grouped into issues")
    audit.add_argument(
        "--fail-on",
        choices=("blocker", "warning", "note"),
        default="blocker",
        help="severity from which the exit status is 1",
    )
    audit.add_argument("--awake", "--all-on", action="store_true", help="audit with every insert on")
    audit.add_argument("--inventory", metavar="FILE", help="compare with the inventory of a machine (CSV or JSON)")
    audit.add_argument(
        "--at", metavar="FILE", help="audit as the template opens at a machine with this inventory (CSV or JSON)"
    )
    audit.add_argument("--times", action="store_true", help="add timings to the JSON: medians of 5 runs")
    planned = command("plan", _plan, "build a repair plan: the fewest fixes, with the effect of each")
    planned.add_argument("--json", action="store_true", help="the plan as JSON")
    planned.add_argument("--apply", metavar="OUT.json", help="write the template with all steps applied")
    planned.add_argument("--only", metavar="CODE,…", default="", help="codes or families to fix")
    explained = command("explain", _explain, "explain a code", file=False)
    explained.add_argument(
        "code", metavar="CODE", nargs="?", help="code of a finding; without it, all codes are listed"
    )
    for name, words in (
        ("levels", "compute levels at every stage"),
        ("timing", "compute arrival times and compensation"),
        ("stems", "compute the level of each source in each stem"),
    ):
        shown = command(name, _figures, words)
        shown.set_defaults(what=name)
        shown.add_argument("--json", action="store_true", help="all figures as JSON")
    trace = command("trace", _trace, "trace the paths of a strip")
    trace.add_argument("--from", dest="start", required=True, metavar="ID", help="strip, or strip/outlet")
    trace.add_argument("--to", dest="end", metavar="ID", help="destination strip; without it, every endpoint")
    trace.add_argument("--json", action="store_true", help="paths as JSON")
    diff = command("diff", _diff, "compare two documents")
    diff.add_argument("other", metavar="B", help="the later document")
    diff.add_argument("--json", action="store_true", help="changes as JSON")
    tables.add(command)
    edits.add(command)
    bench.add(command)
    generate = command("generate", _generate, "generate a large realistic template", file=False)
    generate.add_argument("--strips", type=int, default=300)
    generate.add_argument("--seed", type=int, default=1)
    generate.add_argument("--worn", "--with-faults", action="store_true", help="with typical mistakes of a long job")
    return made


def _audit(options: argparse.Namespace) -> int:
    from lattice.checks import audit_of
    from lattice.gc_paused import gc_paused
    from lattice.matters.matter import matters_of

    name, data = options.file, read_bytes(options.file)
    template = read_template(data, name)
    if options.awake:
        from lattice.edits.all_inserts import all_on

        template = all_on(template)
    with gc_paused():
        analysis, without = _analysed(options, template)
        result = audit_of(analysis)
    if options.json or options.times:
        answer: dict[str, Any] = {
            "format": "intact-lattice.audit", "version": 1, "summary": result.summary,
            "findings": [finding.as_json() for finding in result.findings],
            "matters": [matter.as_json() for matter in matters_of(analysis, result)],
        }  # fmt: skip
        if without is not None:
            answer["at"] = without.as_json(template)
        if options.times:
            answer["times"] = _times(data, name)
        write_json(answer)
    else:
        if without is not None:
            _print_without(without, template)
        _print_findings(result) if options.all else _print_matters(matters_of(analysis, result))
        counts = ", ".join(
            f"{count} {word}" + ("s" if count != 1 and word != "waived" else "")
            for word, count in result.summary.items()
        )
        print(f"{template.name}: {len(template.strips)} strips, {len(template.routes)} routes; {counts}")
    return 1 if result.at_least(options.fail_on) else 0


def _analysed(options: argparse.Namespace, template: Template) -> tuple[Analysis, Without | None]:
    """The analysis of a template, with `--at` of the template as it opens there and what fails."""
    from lattice.analysis import Analysis

    inventory = _inventory(options)
    analysis = Analysis(template, inventory)
    if inventory is None or not options.at:
        return analysis, None
    from lattice.matters.at_inventory import fails_without

    without, there = fails_without(analysis, inventory)
    return there, without


def _print_without(without: Without, template: Template) -> None:
    print(without.sentence(template))
    for product in without.missing:
        print(f"  missing: {product.name} ({len(product.strips)} strip{'s' if len(product.strips) > 1 else ''})")
    if without.unnamed:
        many = len(without.unnamed)
        print(f"  {many} insert{'s have' if many > 1 else ' has'} no name and cannot be looked up")


def _print_findings(result: Audit) -> None:
    for finding in result.findings:
        state = "waived" if finding.waived else finding.severity
        print(f"{state:8} {finding.code:22} {finding.message}")
        for line in finding.evidence:
            print(f"{'':31} {line}")


def _print_matters(matters: tuple[Matter, ...]) -> None:
    """A line an issue, its consequences below it, its evidence if it is one finding; a head a group if several."""
    from lattice.matters.matter import group_of

    has_heads = any(group_of(matter) != "wrong" for matter in matters)
    for group, ones in ((group, list(ones)) for group, ones in groupby(matters, group_of)):
        if has_heads:
            print(f"{GROUP_HEADS[group]}: {len(ones)}")
        for matter in ones:
            _print_matter(matter)


def _print_matter(matter: Matter) -> None:
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
        write_json(answer)
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
    import lattice.bench.prints.codes
    import lattice.checks  # noqa: F401 - register all
    from lattice.checks.registry import EXPLANATIONS

    if options.code is None:
        for code, known in EXPLANATIONS.items():
            print(f"{code:24} {known.found}")
        return 0
    if options.code not in EXPLANATIONS:
        raise ValueError(f"unknown code {options.code}; lattice explain lists all codes")
    known = EXPLANATIONS[options.code]
    for words, text in (
        ("Finding", known.found),
        ("Why", known.why),
        ("How", known.how),
        ("Usual fix", known.fix),
    ):
        print(f"{words}: {text}")
    return 0


def _inventory(options: argparse.Namespace) -> Inventory | None:
    """The inventory in a file, CSV or JSON; errors name that file."""
    file = options.at or options.inventory
    if not file:
        return None
    from lattice.formats import inventory

    options.file = file
    return inventory.load(read_bytes(file), Path(file).stem)


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
    from lattice.deliverables import report as stems
    from lattice.gain_staging import report as levels
    from lattice.latency import report as timing

    analysis = Analysis(read(options.file))
    report: Any = {"levels": levels, "timing": timing, "stems": stems}[options.what]
    figures = getattr(analysis, {"levels": "levels", "timing": "arrivals", "stems": "ledger"}[options.what])
    if options.json:
        write_json(report.as_json(figures))
    else:
        print("\n".join(report.as_lines(figures)))
    return 0


def _trace(options: argparse.Namespace) -> int:
    from lattice.graph.signal_graph import SignalGraph
    from lattice.tracing import HopFigures, as_json, hop_line, sentence, trace

    graph = SignalGraph(read(options.file))
    traced = trace(graph, options.start, options.end)
    if options.json:
        write_json(as_json(graph, traced))
        return 0
    figures = HopFigures.of(graph)
    for path in traced.paths:
        print(sentence(graph, path, traced) + ".")
        for route, at in zip(path.routes, figures.along(path), strict=True):
            print(f"  {hop_line(graph, route, at)}")
        for blocker in path.blockers:
            print(f"  blocked: {blocker.sentence}")
    if not traced.paths:
        print(f"no path from {options.start} to {options.end or 'any endpoint'}")
    if not traced.complete:
        print(f"and more: only the first {len(traced.paths)} are listed")
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
        write_json(as_json(changes))
    else:
        print("\n".join(str(change) for change in changes) or "no difference")
    return 0


def _generate(options: argparse.Namespace) -> int:
    from lattice.formats.document_json import dump
    from lattice.generate import generate

    sys.stdout.buffer.write(dump(generate(options.strips, options.seed, worn=options.worn)))
    sys.stdout.flush()
    return 0
