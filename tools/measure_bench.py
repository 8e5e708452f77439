"""Measures the bench: rendering, kits, reading of prints, loudness; readings as multiples of real time.

python tools/measure_bench.py
"""

from __future__ import annotations

import io
import resource
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from time import perf_counter

import numpy as np
import soundfile

from lattice.analysis import Analysis
from lattice.bench.kit.making import kit_of
from lattice.bench.kit.package import write_kit
from lattice.bench.loudness import measure_print
from lattice.bench.prints.files import PrintFiles
from lattice.bench.prints.model import expected, read_all
from lattice.bench.prints.reader import read_cells
from lattice.bench.render.renderer import Renderer
from lattice.bench.tone import Wanted, play_tone, signal_for
from lattice.generate import generate

RUNS = 3
PRINT_S = 600


def best_s(work: Callable[[], object]) -> float:
    """The shortest of three runs: others share the machine."""
    times = []
    for _ in range(RUNS):
        start = perf_counter()
        work()
        times.append(perf_counter() - start)
    return min(times)


def memory_mb() -> float:
    """The most that this process has taken."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def say(words: str) -> None:
    sys.stdout.write(f"{words}\n")
    sys.stdout.flush()


def rendering(strips: int) -> None:
    analysis = Analysis(generate(strips))
    origins = analysis.sources
    wanted = Wanted(seconds=2.0)

    def sound() -> None:
        playing = {one: signal_for(analysis.graph, one, wanted) for one in origins}
        for _done in Renderer(analysis.template, playing, ()).blocks(2 * analysis.template.sample_rate_hz):
            pass

    say(f"2 s through {strips} strips, {len(origins)} sources: sound alone {best_s(sound):.2f} s, "
        f"metered at every stage {best_s(lambda: play_tone(analysis, origins, wanted)):.2f} s")  # fmt: skip


def kits() -> None:
    analysis = Analysis(generate(384))  # 300 of its strips are sources
    kit = kit_of(analysis)
    template = analysis.template
    took = best_s(lambda: write_kit(kit_of(analysis), template, io.BytesIO()))
    start = perf_counter()
    expected(template, kit)
    model = perf_counter() - start
    say(f"kit of {len({slot.source for slot in kit.slots})} sources, {len(kit.slots)} slots: {took:.2f} s; "
        f"what is expected of its prints ({kit.length_samples / kit.sample_rate_hz:.0f} s): {model:.1f} s")  # fmt: skip


def readings(folder: Path) -> None:
    kit = kit_of(Analysis(generate(300)))
    path = folder / "print.wav"
    rate = kit.sample_rate_hz
    drawn = np.random.default_rng(1)
    with soundfile.SoundFile(path, "w", rate, 2, "PCM_24") as file:
        for _second in range(PRINT_S):
            file.write(drawn.standard_normal((rate, 2)) * 0.05)
    before_mb = memory_mb()

    def read() -> None:
        cells = read_cells(kit, PrintFiles("print", [path]), 2)
        read_all(kit, cells, 0)

    times = PRINT_S / best_s(read)
    say(f"a stereo print of {PRINT_S} s read: {times:.0f} times real time, {memory_mb() - before_mb:.0f} MB more")
    say(f"and measured: {PRINT_S / best_s(lambda: measure_print(path)):.0f} times real time")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as made:  # first: the memory of the others would hide its own
        readings(Path(made))
    rendering(300)
    rendering(3000)
    kits()
    say(f"memory at most {memory_mb():.0f} MB")
