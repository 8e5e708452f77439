"""Every row of insert types renders as its levels, a new one too: its properties are in its row alone."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from lattice.analysis import Analysis
from lattice.bench.render.renderer import AT_POST, Renderer, Tap
from lattice.bench.signals import Fixed
from lattice.gain_staging.chain import figures
from lattice.graph.origin import Origin
from lattice.model import insert_types
from lattice.model.document import Template
from lattice.model.insert_types import INSERT_TYPES, InsertTraits
from tests.build import template

RATE = 48000
RMS_DBFS = -20.0
NEW = InsertTraits("shimmer", decorrelates=True)
SETTINGS = {"threshold_db": -30.0, "ratio": 4.0, "ceiling_db": -50.0, "delay_ms": 40.0, "attack_ms": 1.0}


def beside(row: InsertTraits, wet: float) -> Template:
    """A source that reaches the output directly and also through an insert."""
    fields = {name: SETTINGS[name] for name in row.fields if name in SETTINGS}
    insert = {"id": "i", "type": "other", "wet": wet, **fields}
    follows_level = row.compresses or row.opens_above or row.ceiling != "none"
    made = template(
        [{"id": "src", "kind": "audio", "source": {"peak_dbfs": 0.0, "rms_dbfs": RMS_DBFS}}, {"id": "way", "kind": "bus", "inserts": [insert]}, "o:out"],
        ["src>out off" if follows_level else "src>out", "src>way", "way>out"],
    )  # fmt: skip
    # The type is added after validation: the document's schema has new ones only after a restart.
    source, way, out = made.strips
    way = replace(way, inserts=(replace(way.inserts[0], type=row.name),))
    return replace(made, strips=(source, way, out))


def rendered_rms_dbfs(made: Template) -> float:
    """Noise of the source's level through the template, measured over the last two of four seconds."""
    noise = np.random.default_rng(25).standard_normal((1, 4 * RATE))
    noise *= 10 ** (RMS_DBFS / 20) / np.sqrt(np.mean(noise**2))
    tap = Tap(2, AT_POST)
    power, count = 0.0, 0
    for done in Renderer(made, {Origin(0): Fixed(noise)}, [tap]).blocks(4 * RATE):
        if done.start >= 2 * RATE and tap in done.sound:
            power += float((done.sound[tap] ** 2).sum())
            count += done.count
    return 10 * np.log10(power / count)


@pytest.mark.parametrize("wet", [1.0, 0.5])
@pytest.mark.parametrize("row", [*INSERT_TYPES, NEW], ids=lambda row: row.name)
def test_it_sounds_as_its_levels_say(row: InsertTraits, wet: float, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(insert_types.TRAITS, row.name, row)
    if row is NEW:
        for module, name in (("lattice.gain_staging.chain", "DECORRELATING"), ("lattice.gain_staging.chain", "ACTING")):
            known = getattr(__import__(module, fromlist=[name]), name)
            monkeypatch.setattr(f"{module}.{name}", known | {row.name})
    made = beside(row, wet)
    (expected,) = figures(Analysis(made).levels.post[2]).rms_dbfs
    found = rendered_rms_dbfs(made)
    if row.ceiling != "none":  # the level behind a ceiling is an upper bound (docs/reference/checks.md, *Levels*)
        assert found <= expected + 0.05
        assert found < RMS_DBFS - (20 if wet == 1 else 4)  # and it is held
    else:
        assert found == pytest.approx(expected, abs=0.6)
