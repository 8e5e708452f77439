"""Commands on tables and recordings: convert, merge, columns, sources."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lattice.cli.files import COULD_NOT, put, read, read_bytes
from lattice.errors import DocumentError
from lattice.exports import EXPORTS

if TYPE_CHECKING:
    from lattice.cli import AddCommand
    from lattice.formats.tables.choices import Choices


def add(command: AddCommand) -> None:
    """Adds its commands."""
    convert = command("convert", _convert, "convert a template to a different open format")
    convert.add_argument("--to", required=True, choices=tuple(EXPORTS))
    convert.add_argument("--columns", metavar="MAP.json", help="columns and words of the table (MAP.json)")
    convert.add_argument("--wire", action="store_true", help="wire up strips of a list or table without routes")
    merge = command("merge", _merge, "update a template from a newer table")
    merge.add_argument("sheet", metavar="SHEET", help="the updated table")
    merge.add_argument("--columns", metavar="MAP.json", help="columns and words of the table (MAP.json)")
    merge.add_argument("--remove", action="store_true", help="remove strips that are not in the table")
    merge.add_argument("-o", dest="out", metavar="OUT", required=True, help="output file; - is standard output")
    sources = command("sources", _sources, "set measured levels of recordings on the strips with the same names")
    sources.add_argument(
        "recordings", metavar="WAV", nargs="+", help="recordings (WAV, RF64, FLAC), or folders of them"
    )
    sources.add_argument("-o", dest="out", metavar="OUT", required=True, help="output file; - is standard output")
    columns = command("columns", _columns, "print the detected columns and words of a table as MAP.json")
    columns.add_argument("--columns", metavar="MAP.json", help="choices to start from")


def _convert(options: argparse.Namespace) -> int:
    from lattice.formats.registry import SHEET

    if options.columns or options.file.lower().endswith(SHEET.endings):
        from lattice.formats import any_table

        choices = _choices(options) if options.columns else None
        template = any_table.load(
            read_bytes(options.file), Path(options.file).stem, choices,
            lambda sentence: print(f"{options.file}: {sentence}", file=sys.stderr),
        )  # fmt: skip
    else:
        template = read(options.file)
    if options.wire:
        from lattice.edits.wiring import wired_where_possible

        template = wired_where_possible(template, [strip.id for strip in template.strips])
    sys.stdout.buffer.write(EXPORTS[options.to].write(template))
    sys.stdout.flush()
    return 0


def _choices(options: argparse.Namespace) -> Choices:
    """The choices in a file; errors name that file."""
    from lattice.formats.tables.choices import Choices, load_choices

    if not options.columns:
        return Choices()
    try:
        return load_choices(read_bytes(options.columns))
    except DocumentError:
        options.file = options.columns
        raise


def _columns(options: argparse.Namespace) -> int:
    """Every detected choice, and the unclear ones on standard error."""
    from lattice.formats import any_table

    understood = any_table.read_any(read_bytes(options.file), Path(options.file).stem, _choices(options))
    sys.stdout.buffer.write(understood.choices.dump() + b"\n")
    sys.stdout.flush()
    for sentence in any_table.message(understood.open, understood):
        print(f"{options.file}: {sentence}", file=sys.stderr)
    return 0


def _merge(options: argparse.Namespace) -> int:
    """Apply all values of a newer table; one unknown value refuses the whole table."""
    from lattice.edits.merge import GONE, differences, merged
    from lattice.errors import first_problems
    from lattice.formats import any_table
    from lattice.formats.document_json import dump

    template = read(options.file)
    data, choices = read_bytes(options.sheet), _choices(options) if options.columns else None
    options.file = options.sheet
    newer, _table = any_table.newer_of(template, data, choices)
    if newer.problems:
        raise DocumentError(first_problems(map(str, newer.problems)))
    found = differences(template, newer.template, newer.gone, newer.renamed)
    keys = [one.key for one in found if options.remove or one.kind != GONE]
    for one in found:
        left = " (stays; --remove removes it)" if one.kind == GONE and not options.remove else ""
        print(f"{one.kind:8} {'; '.join(map(str, one.changes))}{left}", file=sys.stderr)
    after = merged(template, newer.template, keys, newer.gone) if keys else template
    put(options.out, dump(after))
    return 0


def _sources(options: argparse.Namespace) -> int:
    """Measure recordings; one unreadable file refuses all."""
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
            said = "has no sound above −60 dBFS" if strip else f"no source has the name {result.name}"
            print(f"{path}: {said}", file=sys.stderr)
            continue
        levels.append({"strip": strip, **result.levels})
        figures = f"peak {result.levels['peak_dbfs']:.2f} dBFS (true peak), RMS {result.levels['rms_dbfs']:.2f} dBFS"
        print(f"{path}: {strip}, {figures}", file=sys.stderr)
    if problems:
        print("\n".join(problems), file=sys.stderr)
        return COULD_NOT
    put(options.out, dump(apply(template, "take_levels", {"levels": levels})))
    return 0
