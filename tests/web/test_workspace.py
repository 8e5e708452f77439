"""The in-memory cache of a template: maps with other collapsed sections, their pieces, results of pages."""

from __future__ import annotations

from random import Random
from threading import Thread

from django.test import Client
from hypothesis import given
from hypothesis import strategies as st

from lattice.drawing.svg import pieces
from lattice.edits import apply
from lattice.errors import DocumentError
from lattice.generate import generate
from lattice.model.document import Template
from tests.build import template
from tests.deep import tries
from tests.random_edits import RandomEdits
from tests.strategies import templates
from tests.web.pages import without_tokens
from web.shelf import services
from web.shelf import workspace as module
from web.shelf.demo import night_ferry
from web.shelf.workspace import MOST_DRAWN, MOST_WORKED_OUT, Drawn, Workspace

SECTIONS = [{"id": one, "name": one.title(), "bus": f"{one}-bus"} for one in ("drums", "keys", "voices")]
BAND = template(
    [
        *({"id": f"{one['id']}-{n}", "kind": "audio", "section": one["id"]} for one in SECTIONS for n in range(3)),
        *({"id": one["bus"], "kind": "bus", "section": one["id"]} for one in SECTIONS),
        "b:mix",
        "o:out",
    ],
    [f"{one['id']}-{n}>{one['bus']}" for one in SECTIONS for n in range(3)]
    + [f"{one['bus']}>mix" for one in SECTIONS]
    + ["mix>out"],
    sections=SECTIONS,
)
FOLDS = [frozenset(), frozenset({"drums"}), frozenset({"drums", "keys"}), frozenset({"voices"}), frozenset({"keys"})]


def text(drawn: Drawn) -> str:
    """The whole map as sent, with its cached pieces."""
    return str(pieces(drawn.sheet, kept=drawn.kept).whole())


def fresh(made: Template, folded: frozenset[str], slots: bytes) -> Drawn:
    return Workspace(made).drawn(folded, slots)


@given(templates(), st.integers(0, 2**32))
@tries(60)
def test_whatever_was_drawn_before_a_map_is_what_would_be_drawn(made: Template, seed: int) -> None:
    """Users with other collapsed sections take turns, and one of them edits: each sees the map of an empty cache."""
    chance = Random(seed)  # noqa: S311
    sections = [section.id for section in made.sections]
    folds = [frozenset(), frozenset(sections), frozenset(sections[:1])]
    space, slots = Workspace(made), b""
    for _turn in range(6):
        if chance.random() < 0.5:
            try:
                made = apply(made, *RandomEdits(made, chance).edit())
            except DocumentError:
                continue
            space = Workspace(made, space)
        folded = chance.choice(folds)
        drawn, expected = space.drawn(folded, slots), fresh(made, folded, slots)
        assert drawn.sheet == expected.sheet
        assert text(drawn) == text(expected)
        slots = drawn.after


def test_the_maps_that_were_drawn_last_are_kept_and_others_forgotten() -> None:
    space = Workspace(BAND)
    drawn = [space.drawn(folded, b"") for folded in FOLDS]
    for folded, before in list(zip(FOLDS, drawn, strict=True))[-MOST_DRAWN:]:
        assert space.drawn(folded, b"") is before
    assert space.drawn(FOLDS[0], b"") is not drawn[0]
    assert len(space._drawn) == MOST_DRAWN


def test_a_workspace_counts_the_maps_it_keeps() -> None:
    space = Workspace(BAND)
    space.drawn(FOLDS[0], b"")
    one = module.size_of(space)
    for folded in FOLDS[1:3]:
        space.drawn(folded, b"")
    assert one < module.size_of(space) < 3 * one


def test_an_edit_that_moves_nothing_takes_every_map_over() -> None:
    space = Workspace(BAND)
    for folded in FOLDS[:3]:
        space.drawn(folded, b"")
    after = Workspace(apply(BAND, "change_strip", {"strip": "keys-1", "changes": {"fader_db": -3.0}}), space)
    for folded in FOLDS[:3]:
        before = space.drawn(folded, b"")
        now = after.drawn(folded, b"")
        assert now.kept is before.kept, "its pieces are those of the map before"
        assert now.sheet == fresh(after.template, folded, b"").sheet


def test_threads_that_draw_the_same_workspace_each_get_their_own_map() -> None:
    made = generate(120, worn=True)
    space, slots = Workspace(made), fresh(made, frozenset(), b"").after
    sections = [section.id for section in made.sections]
    folds = [frozenset(sections[n : n + 2]) for n in range(4)]
    expected = {folded: text(fresh(made, folded, slots)) for folded in folds}
    wrong: list[frozenset[str]] = []

    def look(folded: frozenset[str]) -> None:
        wrong.extend(folded for _ in range(15) if text(space.drawn(folded, slots)) != expected[folded])

    threads = [Thread(target=look, args=(folded,)) for folded in folds]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong


def test_what_a_page_works_out_is_worked_out_once_a_version() -> None:
    done: list[str] = []

    def work() -> int:
        done.append("work")
        return len(done)

    space = Workspace(BAND)
    assert [space.once("count", "mix", work), space.once("count", "mix", work)] == [1, 1]
    assert space.once("count", "out", work) == 2, "of something else"
    assert Workspace(BAND, space).once("count", "mix", work) == 3, "an edit begins anew"
    for number in range(2 * MOST_WORKED_OUT):
        space.once("count", number, work)
    assert len(space._worked_out) <= MOST_WORKED_OUT


def test_levels_and_timing_say_the_same_when_looked_at_again(signed_in: Client, owner) -> None:  # type: ignore[no-untyped-def]
    stored = services.store(owner, night_ferry.in_work())
    for place in ("levels", "timing", "stems"):
        pages = [signed_in.get(f"/t/{stored.pk}/{place}/").content for _ in range(2)]
        module.forget_all()
        pages.append(signed_in.get(f"/t/{stored.pk}/{place}/").content)
        assert len({without_tokens(page) for page in pages}) == 1
