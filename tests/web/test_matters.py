"""Matters on the pages: what they say, what they offer, and what happens beside somebody's edits."""

from __future__ import annotations

import re

import pytest
from django.test import Client

from lattice.generate import generate
from lattice.matters.matter import Matter
from lattice.model.document import Template
from tests.build import template
from tests.web.test_writes import now, write
from web.revisions.papers import Facts, report_html
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace, workspace

WORN = generate(120, worn=True)
TWO_BUSES = template(
    ["a:kick", "a:hat", "a:bass", "b:drums mute", "b:low mute", "o:out"],
    ["kick>drums", "hat>drums", "bass>low", "drums>out", "low>out"],
)


@pytest.fixture
def worn(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, WORN)


@pytest.fixture
def two(owner) -> StoredTemplate:  # type: ignore[no-untyped-def]
    return services.store(owner, TWO_BUSES)


def matter_of(stored: StoredTemplate, code: str) -> Matter:
    return next(one for one in workspace(stored).matters if one.code == code)


@pytest.mark.parametrize("place", ["map", "findings"])
def test_every_open_finding_stands_once_and_every_group_has_its_head(
    signed_in: Client, worn: StoredTemplate, place: str
) -> None:
    page = signed_in.get(f"/t/{worn.pk}/{place}/").content.decode()
    space = workspace(worn)
    shown = re.findall(r'id="f-([0-9a-f]+)"', page)
    assert sorted(shown) == sorted(one.fingerprint for one in space.audit.findings if not one.waived)
    heads = re.findall(r'id="m-([0-9a-f]+)"', page)
    assert heads == [one.fingerprint for one in sorted_groups(space) if len(one.findings) > 1]


def sorted_groups(space: Workspace) -> list[Matter]:
    """As the lists have them: worst first, then by the first number."""
    order = {finding.fingerprint: at for at, finding in enumerate(space.audit.findings)}
    severities = ["blocker", "warning", "note"]
    return sorted(space.matters, key=lambda one: (severities.index(one.severity), order[one.own[0].fingerprint]))


def test_findings_are_narrowed_by_the_severity_of_their_matter(signed_in: Client, two: StoredTemplate) -> None:
    workspace(two).follow()
    matters = workspace(two).matters
    for severity in ("blocker", "warning", "note"):
        page = signed_in.get(f"/t/{two.pk}/findings/", {"severity": severity}).content.decode()
        wanted = sum(len(one.findings) for one in matters if one.severity == severity)
        assert len(re.findall(r'id="f-[0-9a-f]+"', page)) == wanted


def test_a_remedy_nobody_offers_is_refused_and_changes_nothing(signed_in: Client, two: StoredTemplate) -> None:
    matter = matter_of(two, "route.blocked")
    for address in (f"remedy/{matter.fingerprint}/9", "remedy/0123456789abcdef/0"):
        answer = write(signed_in, two, address)
        assert answer.status_code == 422
        assert "this finding is gone" in answer.content.decode()
    assert now(two) == TWO_BUSES


def test_a_remedy_on_an_older_page_is_refused_with_what_changed(signed_in: Client, two: StoredTemplate) -> None:
    matter = matter_of(two, "route.blocked")
    write(signed_in, two, "change_strip", strip="bass", fader_db="-3")
    answer = write(signed_in, two, f"remedy/{matter.fingerprint}/0", base=1)
    assert answer.status_code == 409
    assert "bass: fader −3" in answer.content.decode()
    assert now(two).strips[3].mute


def test_what_follows_is_looked_for_once_a_state(two: StoredTemplate) -> None:
    space = workspace(two)
    quick = space.matters
    space.follow()
    followed, effects = space.matters, space.effects
    assert len(followed) < len(quick)
    assert effects
    space.follow()
    assert space.matters is followed
    assert space.effects is effects


def test_nobody_else_s_matters_are_looked_for(signed_in: Client, two: StoredTemplate, client: Client) -> None:
    client.logout()
    assert client.get(f"/t/{two.pk}/panel/findings/", {"follow": "1"}).status_code == 302


def test_nothing_wrong_asks_for_nothing(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    empty = services.store(owner, Template(name="Fresh"))
    page = signed_in.get(f"/t/{empty.pk}/map/").content.decode()
    assert "data-poll" not in page
    assert "Add strips, and what is not routed shows here" in page


def test_the_report_says_what_findings_have_in_common(db: None) -> None:
    html = report_html(
        Workspace(TWO_BUSES), Facts("Two buses", 1, "first", "I. Strand", "2026-11-26", "", "", "0" * 64)
    )
    assert "2 sources are not heard: drums is muted" in html
    assert html.count("is not heard") == 3
    assert "×2" in html
