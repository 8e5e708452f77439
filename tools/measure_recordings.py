"""How long a folder of recordings takes, and how much memory: 200 stereo files of four minutes, 24 bit at 48 kHz.

python tools/measure_recordings.py [files]
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from lattice.bench.recordings import measure_all, recordings_in

RATE, SECONDS, DIFFERENT = 48_000, 240, 4
MAKE = f"""
import sys, numpy, soundfile
drawn = numpy.random.default_rng(int(sys.argv[2]))
time = numpy.arange({RATE * SECONDS}) / {RATE}
swell = (0.2 + 0.8 * numpy.abs(numpy.sin(time * 1.3)))[:, None]
soundfile.write(sys.argv[1], drawn.standard_normal((len(time), 2)) * 0.12 * swell, {RATE}, subtype="PCM_24")
"""


def main(files: int) -> None:
    """Noise with swells, like music, in a few files, repeated by links."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for number in range(min(files, DIFFERENT)):
            subprocess.run([sys.executable, "-c", MAKE, str(folder / f"{number:03}.wav"), str(number)], check=True)
        for number in range(DIFFERENT, files):
            (folder / f"{number:03}.wav").hardlink_to(folder / f"{number % DIFFERENT:03}.wav")
        start = perf_counter()
        count = sum(1 for _ in measure_all(recordings_in([folder])))
        took = perf_counter() - start
        memory_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"{count} files of {SECONDS} s: {took:.0f} s, {took / count:.2f} s each, {memory_mb:.0f} MB at most")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
