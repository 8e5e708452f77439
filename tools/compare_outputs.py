"""Compare the output of the command line with that of an earlier commit, byte for byte.

Documents: the demo's templates and generated ones, worn by random edits so that every check has something to say. Both
trees read the same files and run the same commands, each in one process of its own.

    python tools/compare_outputs.py COMMIT [--documents 200]
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import tarfile
import tempfile
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from io import BytesIO
from pathlib import Path
from random import Random

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lattice.edits.registry import apply
from lattice.errors import DocumentError
from lattice.formats import document_json, track_sheet_writer
from lattice.generate import generate
from tests.random_edits import RandomEdits
from web.shelf.demo.night_ferry import in_work, sealed
from web.shelf.demo.podcast import podcast

EDITS_EACH = 25
COMMANDS = (
    "audit FILE --json",
    "audit FILE",
    "audit FILE --awake --json",
    "levels FILE --json",
    "timing FILE --json",
    "stems FILE --json",
    "trace FILE --from FIRST --json",
    "trace FILE --from FIRST",
    "diff FILE NEXT --json",
    "diff FILE NEXT",
    "convert FILE --to json",
    "convert FILE --to csv",
    "convert FILE --to graphml",
    "convert FILE --to dot",
    "convert FILE --to svg",
    "audit SHEET --json",
)
# Runs in either tree: a list of arguments a line in, exit status and digests of both outputs a line out.
WORKER = """
import contextlib, hashlib, io, json, sys
from lattice.cli import main
answers = sys.stdout
class Bytes(io.TextIOWrapper):
    pass
for line in sys.stdin:
    out, err = (Bytes(io.BytesIO(), encoding="utf-8", write_through=True) for _ in range(2))
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main(json.loads(line))
        except SystemExit as leaving:
            status = leaving.code
        except Exception as error:
            status = f"{type(error).__name__}: {error}"
    digests = [hashlib.sha256(stream.buffer.getvalue()).hexdigest() for stream in (out, err)]
    print(json.dumps([status, len(out.buffer.getvalue()), *digests]), file=answers, flush=True)
"""


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("commit")
    parser.add_argument("--documents", type=int, default=200)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        earlier, documents = Path(folder, "earlier"), Path(folder, "documents")
        _unpack(options.commit, earlier)
        documents.mkdir()
        names = list(_write_documents(documents, options.documents))
        runs = [arguments for at in range(len(names)) for arguments in _runs(documents, names, at)]
        with ThreadPoolExecutor(2) as pool:
            before, after = pool.map(lambda tree: _answers(tree, runs), (earlier, ROOT))
    different = [(run, b, a) for run, b, a in zip(runs, before, after, strict=True) if b != a]
    for run, was, now in different[:20]:
        print(f"DIFFERENT lattice {' '.join(run)}: was {was[:2]}, is {now[:2]}")
    volume = sum(answer[1] for answer in after) / 1e6
    statuses = ", ".join(
        f"{number} with exit {status}" for status, number in sorted(Counter(str(a[0]) for a in after).items())
    )
    print(
        f"{len(names)} documents, {len(runs)} commands ({statuses}), {volume:.0f} MB; {len(different)} outputs differ"
    )
    return bool(different)


def _unpack(commit: str, folder: Path) -> None:
    archive = subprocess.run(["git", "archive", commit], cwd=ROOT, check=True, capture_output=True).stdout
    with tarfile.open(fileobj=BytesIO(archive)) as files:
        files.extractall(folder, filter="data")


def _write_documents(folder: Path, number: int) -> Iterator[str]:
    """Names of the documents written there, without their ending; each also as a track sheet."""
    templates = [in_work(), podcast(), *(template for template, _note in sealed())]
    for seed in range(number):
        template = generate(12 + seed * 2, seed)
        chance = Random(seed)
        for _edit in range(EDITS_EACH if seed % 4 else 0):
            name, arguments = RandomEdits(template, chance).edit()
            try:
                template = apply(template, name, arguments)
            except (DocumentError, ValueError):
                continue
        templates.append(template)
    for place, template in enumerate(templates):
        name = f"{place:03}"
        (folder / f"{name}.json").write_bytes(document_json.dump(template))
        (folder / f"{name}.csv").write_bytes(track_sheet_writer.dump(template))
        yield name


def _runs(folder: Path, names: list[str], at: int) -> Iterator[list[str]]:
    document = folder / f"{names[at]}.json"
    strips = json.loads(document.read_bytes()).get("strips")
    words = {
        "FILE": str(document),
        "SHEET": str(document.with_suffix(".csv")),
        "NEXT": str(folder / f"{names[at - 1]}.json"),
        "FIRST": strips[0]["id"] if strips else "none",
    }
    for command in COMMANDS:
        yield [words.get(word, word) for word in command.split(" ")]


def _answers(tree: Path, runs: list[list[str]]) -> list[list[object]]:
    lines = "".join(json.dumps(run) + "\n" for run in runs)
    done = subprocess.run(
        [sys.executable, "-c", WORKER],
        cwd=tree,
        env=os.environ | {"PYTHONPATH": str(tree)},
        input=lines,
        capture_output=True,
        text=True,
        check=True,
    )
    return [json.loads(line) for line in done.stdout.splitlines()]


if __name__ == "__main__":
    sys.exit(main())
