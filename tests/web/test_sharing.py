"""Roles given and removed, teams, share links, comments: writes, refusals, visibility."""

from __future__ import annotations

import re
from datetime import timedelta
from threading import Barrier, Thread
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client

from lattice.errors import EditError
from tests.web.test_revisions import seal
from web.accounts.models import Event
from web.people.models import Member, Team
from web.people.roles import Role
from web.remarks import services as remarks
from web.remarks.models import Line, Remark
from web.revisions.models import Pack, Revision
from web.revisions.tasks import make
from web.sharing import services
from web.sharing.models import RevisionLink
from web.shelf.access import shelf_of
from web.shelf.models import Share, StoredTemplate


def browser(user: User) -> Client:
    client = Client()
    client.force_login(user)
    return client


def post(client: Client, stored: StoredTemplate, what: str, **values: Any) -> Any:
    return client.post(f"/t/{stored.pk}/{what}/", values)


# roles


def test_a_role_is_given_changed_and_taken_away(signed_in: Client, stored: StoredTemplate, second: User) -> None:
    assert post(signed_in, stored, "people/give", name="SECOND", role="reader").status_code == 302
    reader = browser(second)
    assert "owned by I. Strand, viewer" in " ".join(reader.get("/").content.decode().split())
    assert reader.get(f"/t/{stored.pk}/map/").status_code == 200
    post(signed_in, stored, "people/give", name="second", role="editor")
    assert [share.role for share in stored.shares.all()] == ["editor"]
    post(signed_in, stored, f"people/{second.pk}/take")
    assert reader.get(f"/t/{stored.pk}/map/").status_code == 404
    assert list(Event.objects.filter(kind="role").values_list("words", flat=True))[::-1] == [
        "I. Strand made M. Quay viewer of Small", "I. Strand made M. Quay editor of Small",
        "I. Strand removed the role of M. Quay on Small",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "role", "words"),
    [
        ("nobody", "reader", "No account has the user name nobody."),
        ("second", "emperor", "“emperor” is not a role"),
        ("owner", "reader", "owns this template"),
        ("<b>" * 200, "reader", "No account has the user name"),
    ],
)
def test_a_role_that_cannot_be_given_says_why(
    signed_in: Client, stored: StoredTemplate, second: User, name: str, role: str, words: str
) -> None:
    answer = post(signed_in, stored, "people/give", name=name, role=role)
    assert (answer.status_code, words in answer.content.decode()) == (422, True)
    assert "<b>" not in answer.content.decode()
    assert not Share.objects.exists()


def test_everybody_may_lay_their_own_role_down(stored: StoredTemplate, second: User) -> None:
    Share.objects.create(template=stored, user=second, role=Role.READER)
    assert browser(second).post(f"/t/{stored.pk}/people/{second.pk}/take/")["Location"] == "/"
    assert not shelf_of(second).exists()


def test_handing_over_to_a_person_leaves_the_giver_editor(
    signed_in: Client, stored: StoredTemplate, owner: User, second: User
) -> None:
    assert post(signed_in, stored, "people/hand-over", name="second").status_code == 302
    assert post(signed_in, stored, "people/give", name="second", role="reader").status_code == 403
    stored.refresh_from_db()
    assert stored.owner == second
    assert stored.shares.get().role == Role.EDITOR


# teams


@pytest.fixture
def team(owner: User, second: User) -> Team:
    made = services.make_team(owner, "Harbour stage")
    Member.objects.create(team=made, user=second, role=Role.CHECKER)
    return made


def test_what_is_a_team_s_is_on_everybody_s_shelf_with_their_role(
    signed_in: Client, stored: StoredTemplate, team: Team, second: User
) -> None:
    post(signed_in, stored, "people/hand-over", team=str(team.pk))
    checker = browser(second)
    assert "Harbour stage, reviewer" in " ".join(checker.get("/").content.decode().split())
    assert post(checker, stored, "write/tidy").status_code == 403
    assert signed_in.get(f"/t/{stored.pk}/people/").status_code == 200
    signed_in.post(f"/teams/{team.pk}/member/", {"name": "second", "role": "owner"})
    services.remove_member(team, second, User.objects.get(username="owner").pk)
    assert signed_in.get(f"/t/{stored.pk}/map/").status_code == 404, "who made it has no role of their own"


def test_a_team_keeps_an_owner(team: Team, owner: User, second: User) -> None:
    for work in (
        lambda: services.remove_member(team, owner, owner.pk),
        lambda: services.set_member(team, owner, "owner", "reader"),
    ):
        with pytest.raises(EditError, match="needs an owner"):
            work()
    with pytest.raises(EditError, match="only owners"):
        services.set_member(team, second, "owner", "reader")


@pytest.mark.django_db(transaction=True)
def test_of_two_owners_who_leave_at_once_one_stays(django_user_model: type) -> None:
    people = [django_user_model.objects.create_user(f"one{n}") for n in range(2)]
    team = services.make_team(people[0], "Two")
    Member.objects.create(team=team, user=people[1], role=Role.OWNER)
    gate, outcomes = Barrier(2), ["", ""]

    def leave(number: int) -> None:
        gate.wait()
        try:
            services.remove_member(team, people[number], people[number].pk)
            outcomes[number] = "left"
        except EditError:
            outcomes[number] = "stays"
        finally:
            connection.close()

    threads = [Thread(target=leave, args=(number,)) for number in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["left", "stays"]
    assert team.members.count() == 1


# links


@pytest.fixture
def linked(signed_in: Client, stored: StoredTemplate) -> str:
    """The path of a link to the first revision."""
    seal(signed_in, stored)
    post(signed_in, stored, "people/links/make", note="The stage", revision="1", days="30")
    page, again = (signed_in.get(f"/t/{stored.pk}/people/").content.decode() for _ in range(2))
    assert "http://testserver/link/" not in again, "it is shown once"
    return re.findall(r"http://testserver(/link/[\w-]+/)", page)[0]


def test_the_report_by_a_link_is_the_workers(linked: str, stored: StoredTemplate, monkeypatch: Any) -> None:
    """Creating the link starts the pack; the page itself starts nothing, however often it is opened."""
    monkeypatch.setattr("web.revisions.pack.to_pdf", lambda *_all: pytest.fail("made in the request"))
    assert Pack.objects.count() == 0, "the link was made inside a transaction of the test"
    for _time in range(3):
        answer = Client().get(f"{linked}report.pdf")
        assert (answer.status_code, "being created" in answer.content.decode()) == (202, True)
    assert [pack.state for pack in Pack.objects.all()] == [Pack.WAITING]


def test_by_a_link_one_sees_a_revision_and_nothing_else(linked: str, stored: StoredTemplate) -> None:
    Pack.objects.all().delete()
    make.call_local(Pack.objects.create(revision=stored.revisions.get()).pk)
    nobody = Client()
    page = nobody.get(linked)
    assert (page.status_code, page["X-Robots-Tag"], page["Referrer-Policy"]) == (
        200,
        "noindex, nofollow",
        "no-referrer",
    )
    assert "Small, revision 1" in page.content.decode()
    assert nobody.get(f"{linked}map.svg").content.startswith(b"<svg")
    assert nobody.get(f"{linked}report.pdf").content.startswith(b"%PDF")
    assert nobody.get(f"{linked}pack.zip").status_code == 200
    for address in ("/", f"/t/{stored.pk}/map/", f"/t/{stored.pk}/export/json/", f"/t/{stored.pk}/people/"):
        assert nobody.get(address).status_code == 302
    assert nobody.get("/robots.txt").content == b"User-agent: *\nDisallow: /\n"


@pytest.mark.parametrize("how", ["revoked", "over", "guessed", "deleted", "maker switched off"])
def test_a_link_that_is_not_good_opens_nothing_and_says_nothing(
    signed_in: Client, linked: str, stored: StoredTemplate, owner: User, how: str
) -> None:
    link = RevisionLink.objects.get()
    if how == "revoked":
        post(signed_in, stored, f"people/links/{link.pk}/revoke")
    elif how == "over":
        RevisionLink.objects.update(until=link.until - timedelta(days=31))
    elif how == "guessed":
        linked = linked[:-3] + "xx/"
    elif how == "deleted":
        post(signed_in, stored, "delete")
    else:
        User.objects.filter(pk=owner.pk).update(is_active=False)
    for what in ("", "map.svg", "report.pdf", "pack.zip"):
        answer = Client().get(f"{linked}{what}")
        assert (answer.status_code, "Small" in answer.content.decode()) == (404, False)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"days": "0"}, "0 days"),
        ({"days": "400"}, "400 days"),
        ({"revision": "7"}, "does not have this revision"),
        ({"note": " "}, "name the recipient"),
        ({"note": "n" * 500}, "has 500 characters; at most 120 are allowed"),
        ({"note": "a\x00b"}, "contains a control character"),
    ],
)
def test_a_link_that_cannot_be_made_says_why(
    signed_in: Client, stored: StoredTemplate, values: dict[str, str], words: str
) -> None:
    seal(signed_in, stored)
    answer = post(signed_in, stored, "people/links/make", **{"note": "x", "revision": "1", "days": "5", **values})
    assert (answer.status_code, words in answer.content.decode()) == (422, True)
    assert not RevisionLink.objects.exists()


# remarks


def remark(client: Client, stored: StoredTemplate, text: str, of: str = "kick", kind: str = "strip") -> Any:
    return post(client, stored, "remarks/begin", kind=kind, subject=of, text=text)


def test_a_thread_is_begun_answered_settled_and_opened_again(
    signed_in: Client, stored: StoredTemplate, second: User
) -> None:
    Share.objects.create(template=stored, user=second, role=Role.CHECKER)
    page = remark(browser(second), stored, "Is this <b>meant</b>?").content.decode()
    assert "Is this &lt;b&gt;meant&lt;/b&gt;?" in page
    thread = Remark.objects.get()
    post(signed_in, stored, f"remarks/{thread.pk}/answer", text="It is.")
    assert [str(line.by) for line in thread.lines.all()] == ["second", "owner"]
    post(signed_in, stored, f"remarks/{thread.pk}/settle")
    thread.refresh_from_db()
    assert (thread.is_open, thread.settled_by) == (False, User.objects.get(username="owner"))
    post(browser(second), stored, f"remarks/{thread.pk}/answer", text="No, look again.")
    assert remarks.open_count(stored) == 1
    assert "No, look again." in signed_in.get(f"/t/{stored.pk}/panel/remarks/").content.decode()


def test_what_others_say_is_news_until_the_page_shows_it(
    signed_in: Client, stored: StoredTemplate, second: User
) -> None:
    def news(**seen: int) -> str:
        answer = signed_in.get(f"/t/{stored.pk}/news/", {"version": 1, "place": "map", **seen})
        return answer.content.decode()

    Share.objects.create(template=stored, user=second, role=Role.CHECKER)
    remark(signed_in, stored, "Mine")
    assert news(remarked=1) == ""
    remark(browser(second), stored, "Is this meant?" + " x" * 100)
    told = news(remarked=1)
    assert "M. Quay, Kick: “Is this meant? x" in told
    assert "…”" in told
    assert 'data-remarked="2"' in told
    assert "Mine" not in news(remarked=0)
    page = post(signed_in, stored, "write/catch-up", place="map", base=1).content.decode()
    assert 'data-remarked="2"' in page
    assert news(remarked=2) == ""
    post(browser(second), stored, f"remarks/{Remark.objects.latest('pk').pk}/settle")
    assert "M. Quay, Kick: comment resolved" in news(remarked=2)
    post(browser(second), stored, f"remarks/{Remark.objects.latest('pk').pk}/settle")  # which it is
    assert news(remarked=3) == ""


@pytest.mark.parametrize(
    ("kind", "of", "called"),
    [("strip", "kick", "Kick"), ("route", "r1", "feed Kick → Drum bus"), ("revision", "1", "revision 1")],
)
def test_remarks_are_on_things_by_their_names(
    signed_in: Client, stored: StoredTemplate, kind: str, of: str, called: str
) -> None:
    remark(signed_in, stored, "Look", of, kind)
    assert Remark.objects.get().about == called


def test_open_remarks_are_counted_where_their_things_are(signed_in: Client, stored: StoredTemplate) -> None:
    for of, kind in (("kick", "strip"), ("r1", "route"), ("r1", "route"), ("gone", "strip")):
        remarks.begin(stored, stored.owner, kind, of, of, "Look")
    thread = Remark.objects.filter(subject="r1").first()
    assert thread is not None
    margin = signed_in.get(f"/t/{stored.pk}/panel/strip/kick/").content.decode()
    assert 'Comments <span class="figure">1</span>' in margin
    assert 'Drum bus, 2 open"' in margin
    answer = post(signed_in, stored, f"remarks/{thread.pk}/settle").content.decode()
    assert 'data-on="{&quot;kick&quot;: 2}"' in answer, "of the strip, and of what leaves it"


@pytest.mark.parametrize(
    ("text", "of", "words"),
    [
        ("x" * 100_000, "kick", "has 100000 characters; at most 4000 are allowed"),
        ("  ", "kick", "needs text"),
        ("bell\x07", "kick", "control character"),
        ("Look", "nobody", "was removed"),
    ],
)
def test_a_remark_that_is_not_kept_says_why(
    signed_in: Client, stored: StoredTemplate, text: str, of: str, words: str
) -> None:
    answer = remark(signed_in, stored, text, of)
    assert (answer.status_code, answer["HX-Retarget"], words in answer.content.decode()) == (422, "#notice", True)
    assert not Line.objects.exists()


def test_the_gate_may_ask_for_no_open_remark_and_the_report_lists_them(
    signed_in: Client, stored: StoredTemplate
) -> None:
    from web.revisions.gate import gate
    from web.revisions.pack import facts_of
    from web.revisions.reports import report_html
    from web.revisions.services import content
    from web.shelf.workspace import Workspace

    remark(signed_in, stored, "Left over from the rehearsal?")
    seal(signed_in, stored)
    revision = Revision.objects.get()
    space = Workspace(content(revision))
    assert "remark" not in str(gate(space, revision))
    post(signed_in, stored, "remarks/require", required="1")
    assert "1 comment open" in [point.words for point in gate(space, revision) if not point.is_met]
    assert "Left over from the rehearsal?" in report_html(space, facts_of(revision, space.template))
    remarks.settle(Remark.objects.get(), User.objects.get())
    assert "no comments open" in [point.words for point in gate(space, revision) if point.is_met]
