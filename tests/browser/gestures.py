"""A small session for the tests of scripts, and the gestures that several of them make."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from playwright.sync_api import FloatRect, Locator, Page, Route, expect

from tests.build import template

# A band with an instrument of three outlets, a bus with a keyed compressor, a return, notes, and two outputs.
BAND = template(
    [
        {"id": "lead", "name": "Lead", "kind": "audio", "section": "voices"},
        {"id": "double", "name": "Double", "kind": "audio", "section": "voices"},
        {"id": "voices-bus", "name": "Voices", "kind": "bus", "section": "voices",
         "inserts": [{"id": "duck", "name": "Duck", "type": "compressor", "key": "external"}]},
        {"id": "notes", "name": "Notes", "kind": "midi", "section": "keys"},
        {"id": "synth", "name": "Synth", "kind": "instrument", "section": "keys", "layout": "stereo",
         "outlets": [{"id": "1"}, {"id": "2"}, {"id": "3"}]},
        {"id": "hall", "name": "Hall", "kind": "return", "layout": "stereo"},
        {"id": "mix", "name": "Mix", "kind": "master", "layout": "stereo"},
        {"id": "out", "name": "Out", "kind": "output", "layout": "stereo"},
        {"id": "lost", "name": "Lost", "kind": "audio"},
    ],
    ["lead>voices-bus", "double>voices-bus", "voices-bus>mix", "midi notes>synth", "synth>mix", "send lead>hall -12", "hall>mix", "mix>out"],
    sections=[{"id": "voices", "name": "Voices", "bus": "voices-bus"}, {"id": "keys", "name": "Keys"}],
)  # fmt: skip


def address(page: Page) -> str:
    """The query of the address, which a link would lead to."""
    return page.url.partition("?")[2]


def lit(page: Page) -> set[str]:
    """Ids of the boxes that are lit."""
    return set(
        page.locator("#sheet-holder svg.dims .box.lit").evaluate_all("boxes => boxes.map(box => box.dataset.id)")
    )


def chosen(page: Page) -> set[str]:
    return set(page.locator("#sheet-holder .box.chosen").evaluate_all("boxes => boxes.map(box => box.dataset.id)"))


@contextmanager
def holding(page: Page, url: str) -> Iterator[list[Route]]:
    """The action makes the page send a request, which is held back: after it, the list has its route."""
    held: list[Route] = []
    page.route(url, lambda route: held.append(route), times=1)  # noqa: PLW0108 - a method of a list is refused
    yield held
    while not held:
        page.wait_for_timeout(10)


def settled(page: Page) -> None:
    """Wait until the answers are in the page."""
    page.evaluate("() => new Promise(requestAnimationFrame)")


def consequences_arrive(page: Page, held: Route) -> None:
    """Let the held request for consequences go on, and wait for its answer."""
    with page.expect_response("**/write/follow/") as answered:
        held.continue_()
    answered.value.finished()
    settled(page)


def rect_of(one: Locator) -> FloatRect:
    """Where an element is. It has no place for a moment if an answer replaces it."""
    rect = one.bounding_box()
    while rect is None:
        expect(one).to_be_visible()
        rect = one.bounding_box()
    return rect


def middle(page: Page, selector: str) -> tuple[float, float]:
    rect = rect_of(page.locator(selector).first)
    return rect["x"] + rect["width"] / 2, rect["y"] + rect["height"] / 2


def sheet_place(page: Page) -> dict[str, Any]:
    """Where the drawing lies and how large it is."""
    return dict(rect_of(page.locator("#sheet-holder svg")))
