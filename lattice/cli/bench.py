"""Commands of the bench: tone, kit, check-prints, simulate-prints, measure."""

from __future__ import annotations

import argparse
import sys
from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lattice.cli.files import in_whole, read, read_bytes, write_json
from lattice.errors import DocumentError

if TYPE_CHECKING:
    from lattice.bench.kit.slots import Kit
    from lattice.cli import AddCommand

FAULTS_SHOWN = (
    "off:ROUTE gain:ROUTE:+3 fader:STRIP:-2 swap:STRIP polarity:STRIP late:STRIP:64 feed:SOURCE:STRIP bypass:INSERT "
    "mute:STRIP late-print:STEM:441 silent-print:STEM drop:STEM"
)  # tests/core/bench/test_commands.py holds it against lattice.bench.faults, which costs half a second to load


def add(command: AddCommand) -> None:
    """Adds its commands."""
    tone = command("tone", _tone, "play a test tone through the model: level and time at every strip")
    tone.add_argument(
        "--sources", nargs="+", metavar="SELECTOR", default=["*"], help="sources (strip:ID, section:ID …)"
    )
    tone.add_argument("--signal", choices=("noise", "sine", "burst", "pink", "file"), default="sine")
    tone.add_argument("--wav", metavar="FILE", help="recording for --signal file: WAV or FLAC")
    tone.add_argument(
        "--level", type=float, metavar="DBFS", help="peak level; default: the stated level of each source"
    )
    tone.add_argument("--seconds", type=float, default=2.0)
    tone.add_argument("--each", action="store_true", help="each source in turn, with the computed figures")
    tone.add_argument("--out", metavar="DIR", help="write the audio of every stage")
    tone.add_argument("--json", action="store_true", help="all stages as JSON")
    kit = command("kit", _kit, "create a pilot kit: a test signal for every source")
    kit.add_argument("-o", dest="out", metavar="KIT.zip", required=True)
    kit.add_argument("--sources", nargs="+", metavar="SELECTOR", default=[], help="sources; default: every source")
    kit.add_argument("--tail-ms", type=float, default=500.0, help="least silence after each slot")
    prints = command(
        "read-prints", _read_prints, "compare the prints of a pilot kit with the map", aliases=("check-prints",)
    )
    prints.add_argument("kit", metavar="KIT.zip")
    prints.add_argument("prints", metavar="PRINT", nargs="+", help="files, or folders of them")
    prints.add_argument("--assign", nargs="+", metavar="FILE=STEM", default=[], help="stem or mix of a file, by hand")
    prints.add_argument("--json", action="store_true", help="the reading as JSON")
    stand_in = command(
        "print-stand-in",
        _stand_in,
        "simulate the session: prints of a pilot kit, with added faults",
        aliases=("simulate-prints",),
    )
    stand_in.add_argument("kit", metavar="KIT.zip")
    stand_in.add_argument("-o", dest="out", metavar="DIR", required=True)
    stand_in.add_argument(
        "--fault", action="append", default=[], metavar="F", help=f"one of {FAULTS_SHOWN}; several times"
    )
    stand_in.add_argument("--bits", choices=("16", "24", "32f"), default="24")
    stand_in.add_argument("--split", action="store_true", help="one mono file per channel")
    stand_in.add_argument("--seed", type=int, default=1, help="of the dither")
    measure = command("measure", _measure, "measure loudness, peaks and clips of programme prints", file=False)
    measure.add_argument("prints", metavar="PRINT", nargs="+", help="files, or folders of them")
    measure.add_argument("--template", metavar="FILE", help="template with the delivery profile")
    measure.add_argument("--add-up", metavar="MIX", help="mix for the null test of the other files")
    measure.add_argument("--json", action="store_true", help="all figures as JSON")


def _tone(options: argparse.Namespace) -> int:
    import msgspec

    from lattice.analysis import Analysis
    from lattice.bench.source_checks import each_in_turn
    from lattice.bench.tone import PLAYS, Wanted, origins_of, play_tone
    from lattice.model.selectors import select
    from lattice.model.units import words_db

    template = read(options.file)
    analysis = Analysis(template)
    origins = origins_of(analysis, select(template, options.sources))
    wanted = Wanted(options.signal, options.level, options.seconds, Path(options.wav) if options.wav else None)
    if options.each:
        turns = list(each_in_turn(analysis, origins, wanted))
        if options.json:
            write_json(msgspec.to_builtins(turns))
            return 0
        for one in turns:
            if one.heard_dbfs is not None or one.computed_dbfs is not None:
                mark = "≠" if one.differs else " "
                heard_words = f"{words_db(one.heard_dbfs)} dBFS at {one.first_sample}"
                computed = f"{words_db(one.computed_dbfs)} at {one.computed_samples}"
                print(f"{mark} {one.source:24} {one.endpoint:24} measured {heard_words}, computed {computed}")
        return 0
    with in_whole(Path(options.out)) if options.out else nullcontext() as folder:
        heard = play_tone(analysis, origins, wanted, folder=folder)
    if options.json:
        write_json(msgspec.to_builtins(heard))
        return 0
    names = {strip.id: strip.name for strip in template.strips}
    print(f"{PLAYS[options.signal]}.")
    for stage in heard.stages:
        if stage.stage == "post":
            levels = " ".join(words_db(level) for level in stage.rms_dbfs)
            print(f"{names[stage.strip]:32} {levels} dBFS, from sample {stage.first_sample}")
    for strip, sentence in heard.silent.items():
        print(f"{names[strip]:32} silent: {sentence}")
    return 0


def _kit(options: argparse.Namespace) -> int:
    from lattice.analysis import Analysis
    from lattice.bench.kit.making import kit_of
    from lattice.bench.kit.package import write_kit

    template = read(options.file)
    kit = kit_of(Analysis(template), options.sources, options.tail_ms)
    out = Path(options.out)
    with in_whole(out.parent) as folder, (folder / out.name).open("wb") as to:
        write_kit(kit, template, to)
    print(f"{options.out}: {len(kit.slots)} slots, {kit.length_samples / kit.sample_rate_hz:.1f} s")
    return 0


def _kit_in(options: argparse.Namespace) -> Kit:
    """The kit in a file; errors name that file."""
    import io

    from lattice.bench.kit.package import read_kit

    template, options.file = options.file, options.kit
    kit = read_kit(io.BytesIO(read_bytes(options.kit)))
    options.file = template
    return kit


def _read_prints(options: argparse.Namespace) -> int:
    from lattice.analysis import Analysis
    from lattice.bench.prints.reader import read_prints
    from lattice.bench.prints.reading import as_json
    from lattice.bench.prints.verdict import as_lines, judge
    from lattice.bench.recordings import recordings_in

    template = read(options.file)
    kit = _kit_in(options)
    analysis = Analysis(template)
    assigned = dict(one.rpartition("=")[::2] for one in options.assign)
    reading = read_prints(analysis, kit, recordings_in(map(Path, options.prints)), assigned)
    verdict = judge(analysis, kit, reading)
    if options.json:
        sys.stdout.buffer.write(as_json(reading, verdict.as_json()) + b"\n")
        sys.stdout.flush()
    else:
        names = {strip.id: strip.name for strip in template.strips}
        for line in as_lines(verdict, names):
            print(line)
        for name, why in reading.unmatched.items():
            print(f"{name}: {why}")
        print("the session matches the map" if verdict.is_clean else f"{verdict.summary['matters']} issues")
    return 0 if verdict.is_clean else 1


def _stand_in(options: argparse.Namespace) -> int:
    from lattice.analysis import Analysis
    from lattice.bench.faults import built
    from lattice.bench.prints.reading import check_kit
    from lattice.bench.stand_in import print_files

    template = read(options.file)
    kit = _kit_in(options)
    check_kit(Analysis(template), kit)
    session = built(template, options.fault)
    out = Path(options.out)
    with in_whole(out) as folder:
        paths = print_files(template, kit, session, folder, options.bits, split=options.split, seed=options.seed)
    for path in paths:
        print(out / path.name)
    return 0


def _measure(options: argparse.Namespace) -> int:
    import msgspec

    from lattice.bench.loudness import measure_print, remarks
    from lattice.bench.recordings import recordings_in
    from lattice.model.document import Profile
    from lattice.model.units import words_db

    profile = read(options.template).profile if options.template else Profile()
    measured, problems = [], 0
    for path in recordings_in(map(Path, options.prints)):
        try:
            measured.append(measure_print(path))
        except DocumentError as wrong:
            problems += 1
            print(f"{path}: {wrong.problems[0]}", file=sys.stderr)
    plain: dict[str, Any] = {"prints": []}
    for one in measured:
        said = remarks(one, profile, others=measured)
        plain["prints"].append({**msgspec.to_builtins(one), "remarks": msgspec.to_builtins(said)})
        if not options.json:
            print(
                f"{one.name:28} {words_db(one.integrated_lufs)} LUFS, range {words_db(one.range_lu)} LU, "
                f"true peak {words_db(one.true_peak_dbtp)} dBTP, {one.seconds:.1f} s"
            )
            for remark in said:
                print(f"   {remark.severity:8} {remark.words}")
    if options.add_up:
        plain["adding_up"] = _added_up(options)
    if options.json:
        write_json(plain)
    return 2 if problems else 0


def _added_up(options: argparse.Namespace) -> dict[str, Any]:
    import msgspec
    import soundfile

    from lattice.bench.null_test import residual
    from lattice.bench.prints.files import PrintFiles
    from lattice.bench.recordings import recordings_in
    from lattice.model.units import words_db

    mix = Path(options.add_up)
    others = [path for path in recordings_in(map(Path, options.prints)) if path.resolve() != mix.resolve()]
    try:
        form = soundfile.info(mix)
    except (soundfile.LibsndfileError, OSError):
        raise DocumentError([f"{mix} cannot be read as WAV, RF64 or FLAC"]) from None
    found = residual(
        PrintFiles(mix.stem, [mix]), [PrintFiles(path.stem, [path]) for path in others], form.samplerate, form.channels
    )
    if not options.json:
        print(
            f"null test of {len(others)} stems against {mix.name}: {words_db(found.residual_db)} dB remain, most of "
            f"it at {found.largest_at_s:.0f} s ({words_db(found.largest_db)} dB)"
        )
    return dict(msgspec.to_builtins(found))
