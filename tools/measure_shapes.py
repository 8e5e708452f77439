"""CPU time of `lattice audit`, `trace` and `convert --to svg` on the shapes that cost most, process start included.

Run: .venv/bin/python tools/measure_shapes.py [name …]. Bound: 2 s of CPU for an audit of each shape.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lattice.formats.document_json import dump
from tests.shapes import SHAPES

STOP_S = 100
COMMANDS = (
    ("audit", ["audit", "--json"]),
    ("trace", ["trace", "--from", "src", "--json"]),
    ("svg", ["convert", "--to", "svg"]),
)


def cpu_s(arguments: list[str]) -> str:
    """CPU seconds of one run of the command line, or that it did not end."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    try:
        done = subprocess.run(
            [sys.executable, "-m", "lattice", *arguments], cwd=ROOT, capture_output=True, timeout=STOP_S, check=False
        )
    except subprocess.TimeoutExpired:
        return f"over {STOP_S}"
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    spent = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    unfinished = " unfinished" if b"audit.unfinished" in done.stdout else ""
    failed = f" exit {done.returncode}" if done.returncode not in (0, 1) else ""
    return f"{spent:.2f}{unfinished}{failed} ({len(done.stdout) // 1024} kB)"


def main(names: list[str]) -> None:
    print(f"{'shape':26}{'strips':>7}{'routes':>7}  " + "  ".join(f"{name + ' s':24}" for name, _arguments in COMMANDS))
    for name, shape in SHAPES.items():
        if names and name not in names:
            continue
        template = shape()
        with tempfile.NamedTemporaryFile(suffix=".json") as file:
            file.write(dump(template))
            file.flush()
            figures = [cpu_s([arguments[0], file.name, *arguments[1:]]) for _what, arguments in COMMANDS]
        size = f"{len(template.strips):7}{len(template.routes):7}"
        print(f"{name:26}{size}  " + "  ".join(f"{figure:24}" for figure in figures), flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
