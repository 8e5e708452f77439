"""The contract of every check: it can fail, it can pass, its findings are complete and the same every time."""

from __future__ import annotations

import gc
import json
import weakref
from itertools import pairwise

import pytest
from hypothesis import given

from lattice.analysis import Analysis
from lattice.checks import Audit, audit, audit_of
from lattice.checks.finding import SEVERITIES
from lattice.checks.registry import CHECKS, code_order
from lattice.checks.waivers import STALE
from lattice.edits import apply_steps
from lattice.generate import generate
from lattice.model.document import Template, Waiver
from tests.core.checks import examples, examples_judgement, examples_levels, examples_stems
from tests.deep import tries
from tests.strategies import templates

CASES = examples.CASES | examples_judgement.CASES | examples_levels.CASES | examples_stems.CASES
CODES = [code for codes, _function in CHECKS for code in codes] + [STALE]
ABOUT_NO_STRIP = {"time.rate", "budget.memory", "io.renamed", STALE}  # the template, a machine, a waiver


def audited(code: str, made: Template) -> Audit:
    """Checks of plug-ins use the contents of a machine; all others run without."""
    asks = code.startswith("plugin.") or code == "io.renamed"
    return audit(made, examples_stems.INVENTORY if asks else None)


def test_every_check_ships_examples_and_no_code_is_registered_twice() -> None:
    assert sorted(CODES) == sorted(CASES)


@pytest.mark.parametrize("code", CODES)
def test_it_finds_what_is_wrong_and_nothing_where_it_is_right(code: str) -> None:
    failing, about, passing = CASES[code]
    (found,) = [finding for finding in audited(code, failing).findings if finding.code == code]
    assert [*found.strips, *found.sections, None][0] == about
    assert code not in {finding.code for finding in audited(code, passing).findings}


@pytest.mark.parametrize("code", CODES)
def test_its_remedy_puts_it_right(code: str) -> None:
    failing = CASES[code][0]
    (found,) = [finding for finding in audited(code, failing).findings if finding.code == code]
    for remedy in found.remedies:
        mended = apply_steps(failing, remedy.steps)
        left = [finding for finding in audited(code, mended).findings if finding.fingerprint == found.fingerprint]
        # a loop is found with states ignored: disabling its feedback leaves it broken, not gone
        assert not left or (code.startswith("loop") and left[0].severity != "blocker"), remedy.label


@given(templates())
@tries(200)
def test_findings_are_whole_ordered_and_the_same_every_time(made: Template) -> None:
    first = audit(made)
    assert [finding.as_json() for finding in audit(made).findings] == [finding.as_json() for finding in first.findings]
    order = {**code_order(), STALE: len(CODES)}
    ranks = [(SEVERITIES.index(finding.severity), order[finding.code]) for finding in first.findings]
    assert all(one <= other for one, other in pairwise(ranks))
    strips, routes = {strip.id for strip in made.strips}, {route.id for route in made.routes}
    for finding in first.findings:
        assert finding.message
        assert finding.evidence
        assert finding.strips or finding.sections or finding.code in ABOUT_NO_STRIP
        assert set(finding.strips) <= strips
        assert set(finding.routes) | set(finding.path) <= routes
        json.dumps(finding.as_json(), allow_nan=False)
    assert len({finding.fingerprint for finding in first.findings}) == len(first.findings)


def test_a_waiver_counts_apart_and_is_no_open_finding() -> None:
    failing = CASES["route.unheard"][0]
    fingerprint = audit(failing).findings[0].fingerprint
    from msgspec.structs import replace

    waived = audit(replace(failing, waivers=(Waiver(fingerprint=fingerprint, reason="meant"),)))
    assert waived.summary["waived"] == 1
    assert waived.findings[0].waived
    assert not waived.at_least("blocker")


def test_a_fingerprint_keeps_while_code_and_ids_do() -> None:
    failing = CASES["route.unheard"][0]
    from lattice.edits import apply

    renamed = apply(failing, "change_strip", {"strip": "x", "changes": {"name": "Another name", "fader_db": -20.0}})
    assert audit(renamed).findings[0].fingerprint == audit(failing).findings[0].fingerprint


def test_an_audit_leaves_nothing_behind() -> None:
    """Its results are freed with the last reference, without the garbage collector."""
    gc.disable()
    try:
        analysis = Analysis(generate(120))
        audit_of(analysis)
        left = [weakref.ref(analysis), weakref.ref(analysis.levels), weakref.ref(analysis.arrivals)]
        del analysis
        assert [kept() for kept in left] == [None, None, None]
    finally:
        gc.enable()
