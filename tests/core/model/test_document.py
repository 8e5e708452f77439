"""Defaults and derived facts of the document."""

from __future__ import annotations

import pytest

from lattice.model.document import USUAL_SOURCE, Source, Template, main_outlet, plays, source_of
from tests.build import template


def test_a_missing_field_takes_the_default_of_the_format() -> None:
    made = Template(name="x")
    shown = (made.sample_rate_hz, made.buffer_samples, made.tempo_bpm, made.pan_law_db, made.compensation.mode)
    assert shown == (48000, 256, 120.0, -3.0, "full")
    assert made.machines[0].id == "main"
    profile = made.profile
    assert (profile.true_peak_dbtp, profile.mix_headroom_db, profile.operating_window_db) == (-1.0, 6.0, 9.0)


LOUD = {"peak_dbfs": -1.0, "rms_dbfs": -9.0}


@pytest.mark.parametrize(
    ("fields", "outlet", "expected"),
    [
        ({"kind": "audio"}, None, USUAL_SOURCE),
        ({"kind": "audio", "source": None}, None, None),
        ({"kind": "audio", "source": LOUD}, None, Source(**LOUD)),
        ({"kind": "bus"}, None, None),
        ({"kind": "midi"}, None, None),
        ({"kind": "audio", "tags": ["backup"]}, None, None),
        ({"kind": "instrument", "source": LOUD, "outlets": [{"id": "a"}, {"id": "b"}]}, "a", Source(**LOUD)),
        ({"kind": "instrument", "source": LOUD, "outlets": [{"id": "a"}, {"id": "b"}]}, "b", USUAL_SOURCE),
        ({"kind": "instrument", "source": None, "outlets": [{"id": "a"}, {"id": "b"}]}, "b", None),
        ({"kind": "instrument", "outlets": [{"id": "a"}, {"id": "b", "source": None}]}, "b", None),
        ({"kind": "instrument", "outlets": [{"id": "a", "source": LOUD}]}, "a", Source(**LOUD)),
    ],
)
def test_what_a_strip_or_outlet_plays(fields: dict, outlet: str | None, expected: Source | None) -> None:
    made = template([{"id": "s", **fields}]).strips[0]
    piece = next((known for known in made.outlets if known.id == outlet), None)
    assert source_of(made, piece) == expected


def test_the_main_outlet_is_the_marked_one_or_the_first() -> None:
    marked, first, none = (
        template([{"id": "s", "kind": "instrument", "outlets": outlets}]).strips[0]
        for outlets in ([{"id": "a"}, {"id": "b", "main": True}], [{"id": "a"}, {"id": "b"}], [])
    )
    assert main_outlet(marked).id == "b"
    assert main_outlet(first).id == "a"
    assert main_outlet(none) is None
    assert plays(none)
