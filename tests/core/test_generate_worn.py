"""Worn templates have their intended mistakes: the audit reports each, at any size."""

from __future__ import annotations

from collections import Counter

import pytest

from lattice.analysis import Analysis
from lattice.checks import audit
from lattice.formats.document_json import dump
from lattice.generate import generate
from lattice.generate.worn import LEAKING, RETURNS


@pytest.mark.parametrize("strips", [60, 137, 300, 1000])
def test_the_usual_mistakes_are_there(strips: int) -> None:
    made = generate(strips, worn=True)
    assert len(made.strips) == strips
    assert sum(strip.kind == "return" and strip.section is None for strip in made.strips) == RETURNS
    codes = Counter(finding.code for finding in audit(made).findings)
    assert codes["loop.audio"] == 1
    assert codes["route.double-path"] >= 3  # a bus sends to a return that its sources send to
    assert codes["route.unheard"] >= max(1, strips // 130)
    assert codes["level.operating"] > strips // 3
    if strips >= 300:
        assert codes["stem.leak"] == LEAKING
        assert codes["stem.outside-key"] + codes["key.quiet"] > 0


def test_the_same_seed_gives_the_same() -> None:
    assert dump(generate(100, 7, worn=True)) == dump(generate(100, 7, worn=True))
    assert dump(generate(100, 7, worn=True)) != dump(generate(100, 8, worn=True))


def test_too_few_strips_are_refused() -> None:
    with pytest.raises(ValueError, match="59 strips; 60 to 100000 are allowed"):
        generate(59, worn=True)


def test_one_source_in_a_hundred_makes_few_be_told_apart() -> None:
    """Nodes after the last meeting of a branch, or off its path, carry plain power."""
    coherence_map = Analysis(generate(1000, worn=True)).levels.coherence_map
    assert 0 < sum(coherence_map.apart) < 40
    assert sum(coherence_map.wanted) < 60
