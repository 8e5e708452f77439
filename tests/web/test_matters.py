"""Issues on the pages: their sentences, their fixes, and the results during others' edits."""

from __future__ import annotations

import re
from html import unescape
from urllib.parse import urlencode

import pytest
from django.test import Client

from lattice.checks.finding import SEVERITIES
from lattice.generate import generate
from lattice.matters.matter import Matter
from lattice.model.document import Template
from tests.build import template
from tests.web.test_writes import now, write
from web.editor.matters import MOST_ROWS, Row, rows_of
from web.revisions.reports import Facts, report_html
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


def listed(client: Client, address: str) -> list[str]:
    """Keys of the issues of a list, with collapsed and further ones fetched as a browser does."""
    keys, waiting = [], [address]
    while waiting:
        page = client.get(waiting.pop(0)).content.decode()
        keys += re.findall(r'id="m-([0-9a-f]+)"', page)
        assert len(re.findall(r'id="m-', page)) <= MOST_ROWS
        waiting += [unescape(url) for url in re.findall(r'data-(?:more|fill)="([^"]*/rows/[^"]*)"', page)]
    return keys


@pytest.mark.parametrize("place", ["map", "findings"])
def test_every_matter_stands_once_whatever_is_folded(signed_in: Client, worn: StoredTemplate, place: str) -> None:
    keys = listed(signed_in, f"/t/{worn.pk}/{place}/")
    assert sorted(keys) == sorted(matter.fingerprint for matter in workspace(worn).matters)


def test_worst_first_numbered_in_that_order(signed_in: Client, worn: StoredTemplate) -> None:
    rows = rows_of(workspace(worn))
    assert [row.number for row in rows] == list(range(1, len(rows) + 1))
    severities = [SEVERITIES.index(row.matter.severity) for row in rows]
    assert severities == sorted(severities)


@pytest.mark.parametrize(
    "asked",
    [{"severity": "warning"}, {"family": "Levels"}, {"code": "key."}, {"q": "return 0 by"}, {"section": "s0"},
     {"about": "r0"}, {"severity": "note", "family": "Levels"}, {"q": "nothing says this"}],
)  # fmt: skip
def test_the_list_is_narrowed_by_its_address(signed_in: Client, worn: StoredTemplate, asked: dict[str, str]) -> None:
    keys = listed(signed_in, f"/t/{worn.pk}/findings/?{urlencode(asked)}")
    assert sorted(keys) == sorted(row.key for row in rows_of(workspace(worn)) if _is_asked_for(row, asked))


def _is_asked_for(row: Row, asked: dict[str, str]) -> bool:
    """The filters of an address, parsed independently of the code."""
    findings = row.matter.findings
    said = " ".join([row.matter.message, row.matter.code, *(one.message for one in findings)]).lower()
    strips = {strip.id: strip for strip in WORN.strips}
    first = findings[0].strips[:1]
    section = strips[first[0]].section if first and first[0] in strips else (findings[0].sections or ("",))[0]
    holds = {
        "severity": lambda value: min(SEVERITIES.index(one.severity) for one in findings) == SEVERITIES.index(value),
        "family": lambda value: row.matter.code.startswith({"Levels": ("level.", "return.", "mix.")}[value]),
        "code": lambda value: any(one.code.startswith(value) for one in findings),
        "q": lambda value: all(
            any(known == word if word.isdigit() else known.startswith(word) for known in re.split(r"\W+", said))
            for word in value.split()
        ),
        "section": lambda value: section == value,
        "about": lambda value: any(value in one.strips for one in findings),
    }
    return all(holds[name](value) for name, value in asked.items())


def test_bars_count_what_pressing_them_shows(signed_in: Client, worn: StoredTemplate) -> None:
    page = signed_in.get(f"/t/{worn.pk}/findings/").content.decode()
    found = re.findall(r'class="bar"\s+href="\?([^"]+)".*?bar-words">([^<]+)<.*?figure">(\d+)<', page, re.DOTALL)
    assert {words for _query, words, _count in found} >= {"Levels", "Continuity"}
    for query, _words, count in found:
        assert len(listed(signed_in, f"/t/{worn.pk}/findings/?{unescape(query)}")) == int(count), query


def test_a_link_to_a_finding_opens_its_matter_wherever_it_stands(signed_in: Client, worn: StoredTemplate) -> None:
    for matter in (workspace(worn).matters[0], workspace(worn).matters[-1]):
        for mark in (matter.fingerprint, matter.own[-1].fingerprint):
            page = signed_in.get(f"/t/{worn.pk}/map/?finding={mark}").content.decode()
            row = page[page.index(f'id="m-{matter.fingerprint}"') :].partition('<li class="finding matter')[0]
            assert 'aria-expanded="true"' in row
            assert "About this finding" in row


def test_a_matter_of_hundreds_is_read_a_hundred_at_a_time(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    names = [f"a:x{number}" for number in range(250)]
    made = template([*names, "b:bus mute", "o:out"], [*(f"x{n}>bus" for n in range(250)), "bus>out"])
    stored = services.store(owner, made)
    address, read = f"/t/{stored.pk}/matter/{matter_of(stored, 'route.blocked').fingerprint}/", []
    while address:
        page = signed_in.get(address).content.decode()
        read.append(len(re.findall(r'id="f-', page)))
        further = re.search(r'data-more="([^"]+)"', page)
        address = unescape(further[1]) if further else ""
    assert read == [100, 100, 50]


def test_what_a_remedy_would_do_is_read_before_it_is_pressed(signed_in: Client, two: StoredTemplate) -> None:
    matter = matter_of(two, "route.blocked")
    page = signed_in.get(f"/t/{two.pk}/effect/{matter.fingerprint}/{matter.remedies[0].key}/").content.decode()
    assert "kick is silent: drums is muted" in page
    assert "Likely peak, dBFS" in page
    assert now(two) == TWO_BUSES


def test_a_remedy_nobody_offers_is_refused_and_changes_nothing(signed_in: Client, two: StoredTemplate) -> None:
    matter = matter_of(two, "route.blocked")
    for address in (f"remedy/{matter.fingerprint}/0123456789ab", "remedy/0123456789abcdef/0"):
        answer = write(signed_in, two, address)
        assert answer.status_code == 422
        assert "this finding no longer exists" in answer.content.decode()
    assert now(two) == TWO_BUSES


def test_a_remedy_on_an_older_page_goes_on_top_of_what_changed(signed_in: Client, two: StoredTemplate) -> None:
    matter = matter_of(two, "route.blocked")
    write(signed_in, two, "change_strip", strip="bass", fader_db="-3")
    answer = write(signed_in, two, f"remedy/{matter.fingerprint}/{matter.remedies[0].key}", base=1)
    assert answer.status_code == 200
    assert not now(two).strips[3].mute
    assert next(strip for strip in now(two).strips if strip.id == "bass").fader_db == -3.0


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
    assert client.post(f"/t/{two.pk}/write/follow/", {"base": 1}).status_code == 302


def test_nothing_wrong_asks_for_nothing(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    empty = services.store(owner, Template(name="Fresh"))
    page = signed_in.get(f"/t/{empty.pk}/map/").content.decode()
    assert "data-poll" not in page
    assert "Add strips first" in page


def test_the_report_says_what_findings_have_in_common(db: None) -> None:
    html = report_html(
        Workspace(TWO_BUSES), Facts("Two buses", 1, "first", "I. Strand", "2026-11-26", "", "", "0" * 64)
    )
    assert "2 sources are silent: drums is muted" in html
    assert html.count("is silent") == 3
    assert "×2" in html
