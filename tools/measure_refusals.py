"""The cost of refusing a file: CPU seconds and peak memory of the command line on the worst known inputs.

Run: .venv/bin/python tools/measure_refusals.py. Bounds: 2 s and 300 MB each. The peak includes this script's own memory
at the start of the command, so it is an upper bound.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
MIB = 1024 * 1024
STRIP = b'{"id":"a","name":"b","kind":"bus"},'
FILES: dict[str, Callable[[], bytes]] = {
    "8 MB of newlines.csv": lambda: b"\n" * (8 * MIB),
    "63 MB of rows.csv": lambda: b"name,kind\n" + b"Kick,audio\n" * (63 * MIB // 11),
    "15 MB of rows.csv": lambda: b"name,kind\n" + b"Kick,audio\n" * (15 * MIB // 11),
    "63 MB of commas.csv": lambda: b"," * (63 * MIB),
    "15 MB of commas.csv": lambda: b"," * (15 * MIB),
    "15 MB of short rows.csv": lambda: b"name\n" + b",,,,,,,\n" * (15 * MIB // 8),
    "32 kB of ones.json": lambda: json.dumps({"name": "x", "strips": [1] * 16_000}).encode(),
    "8 MB of ones.json": lambda: json.dumps({"name": "x", "strips": [1] * 2_700_000}).encode(),
    "63 MB of ones.json": lambda: json.dumps({"name": "x", "strips": [1] * 21_000_000}).encode(),
    "60 MB of strips.json": lambda: b'{"name":"x","strips":[' + STRIP * 1_700_000 + b"{}]}",
    "25 MB of strips.json": lambda: b'{"name":"x","strips":[' + STRIP * 700_000 + b"{}]}",
    "3 MB of wrong strips.json": lambda: json.dumps(
        {"name": "x", "strips": [{"id": "A", "kind": 1}] * 90_000}
    ).encode(),
    "nested.json": lambda: b'{"name":"x","info":' + b'{"a":' * 100_000 + b"1" + b"}" * 100_001,
}
MEASURED = """
import resource, sys
from lattice.cli import main
main(["audit", sys.argv[1]])
used = resource.getrusage(resource.RUSAGE_SELF)
print(used.ru_utime + used.ru_stime, used.ru_maxrss // 1024)
"""


def main() -> None:
    print(f"{'file':28}{'CPU s':>8}{'peak MB':>9}  said")
    with tempfile.TemporaryDirectory() as folder:
        for name, make in FILES.items():
            path = Path(folder, name)
            path.write_bytes(make())
            done = subprocess.run(
                [sys.executable, "-c", MEASURED, str(path)], cwd=ROOT, capture_output=True, text=True, check=False
            )
            cpu_s, peak_mb = done.stdout.split()[-2:]
            said = done.stderr.splitlines()[0].partition(": ")[2] if done.stderr else "accepted"
            print(f"{name:28}{float(cpu_s):8.2f}{peak_mb:>9}  {said[:90]}")


if __name__ == "__main__":
    main()
