"""Stems and rules against the obvious reading on random small templates."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given

from lattice.checks import Finding, audit
from lattice.model.document import Template
from tests.core.brute_stems import RuleReading, Source, StemReading
from tests.deep import tries
from tests.strategies import templates


def _source(template: Template, finding: Finding) -> Source:
    """(strip, outlet) that a finding is about; the strip's own chain is None."""
    strip = next(strip for strip in template.strips if strip.id == finding.strips[0])
    if not finding.outlets:
        return strip.id, None
    outlet = finding.outlets[0].partition("/")[2]
    main = next((o.id for o in strip.outlets if o.main), strip.outlets[0].id)
    return strip.id, None if outlet == main else outlet


def _by_source(template: Template, finding: Finding) -> object:
    return _source(template, finding), finding.stems


def _leak(_template: Template, finding: Finding) -> object:
    return finding.strips[0], finding.stems[0], frozenset(finding.strips[1:])


def _nested(_template: Template, finding: Finding) -> object:
    return finding.stems[0], finding.stems[1:]


def _composite(_template: Template, finding: Finding) -> object:
    return finding.stems[0], frozenset(finding.strips)


def _bent(_template: Template, finding: Finding) -> object:
    return finding.stems[0], frozenset(finding.strips)


READINGS: dict[str, tuple[Callable[[Template, Finding], object], Callable[[StemReading], set]]] = {
    "stem.missing": (_by_source, StemReading.missing),
    "stem.bypassed": (_by_source, StemReading.bypassed),
    "stem.twice": (_by_source, StemReading.twice),
    "stem.forbidden": (_by_source, StemReading.forbidden),
    "stem.leak": (_leak, StemReading.leaks),
    "stem.nested": (_nested, StemReading.nested),
    "stem.bent": (_bent, StemReading.bent),
}


@pytest.mark.parametrize("code", READINGS)
@given(template=templates())
@tries(150)
def test_what_is_found_is_what_a_search_finds(code: str, template: Template) -> None:
    said, reading = READINGS[code]
    found = {said(template, finding) for finding in audit(template).findings if finding.code == code}
    assert found == reading(StemReading(template))


@given(templates())
@tries(200)
def test_composites_differ_exactly_where_their_sources_do(template: Template) -> None:
    found = {f.stems[0]: set(f.strips[1:]) for f in audit(template).findings if f.code == "stem.composite"}
    expected = {stem: set(strips) for stem, strips in StemReading(template).composites()}
    assert found.keys() == expected.keys()
    for stem, strips in found.items():
        own = next(one.strip for one in template.stems if one.id == stem)
        assert strips | ({own} & expected[stem]) == expected[stem]


@given(templates())
@tries(200)
def test_keys_from_outside_are_those_that_a_search_finds(template: Template) -> None:
    keyed = {insert.id: strip.id for strip in template.strips for insert in strip.inserts}
    found = {
        (finding.stems[0], frozenset(keyed[insert] for insert in finding.inserts))
        for finding in audit(template).findings
        if finding.code == "stem.outside-key"
    }
    assert found == StemReading(template).outside_keys()


@given(templates())
@tries(400)
def test_rules_are_broken_by_the_sources_for_which_a_search_finds_a_way(template: Template) -> None:
    reading = RuleReading(template)
    broken = [finding for finding in audit(template).findings if finding.code == "rule.broken"]
    for rule in template.rules:
        if rule.kind != "lands-on":  # channels: tests/core/checks/test_rules.py
            found = {_source(template, finding) for finding in broken if finding.others == (rule.id,)}
            assert found == reading.broken(rule), rule
