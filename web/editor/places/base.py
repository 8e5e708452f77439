"""A page of a template, and the registry from which addresses, navigation, titles, help and tests are built."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest

from web.editor.lists import KeyedList, Table

Context = dict[str, Any]
Keys = tuple[tuple[str, str], ...]  # keys in `…`, and their action

# Navigation follows the work: the flow, its figures and deliverables, faults and storage, settings.
FLOW, FIGURES, RECORD, SETUP = range(4)


@dataclass(frozen=True)
class Place:
    """One page of a template: its content, its place in the navigation, its keys."""

    name: str  # of its address and, before `_body.html`, of its template
    title: str
    group: int  # in the navigation
    order: int  # within the group
    context: Callable[[HttpRequest, Context], Context] | None = None  # None: another app serves it
    page: str = "editor/place.html"
    answer: str = "editor/place_changed.html"  # what a write on it swaps
    # Lists and tables of which a write on it sends only the changes.
    lists: Callable[[HttpRequest, Context], tuple[list[KeyedList], dict[str, Table]]] | None = None
    # A parameter of its address with which the place shows one thing in full: then it is a page of text without lists.
    detail: str = ""
    keys: Keys = ()

    def is_listed(self, request: HttpRequest) -> bool:
        """Return whether writes on the page, as it is shown, send lists piece by piece."""
        return self.lists is not None and not self.shows_detail(request)

    def shows_detail(self, request: HttpRequest) -> bool:
        """Return whether the page shows one thing in full."""
        return bool(self.detail and wanted(request, self.detail))

    @property
    def body(self) -> str:
        """The template of a page below its head."""
        return f"editor/{self.name}_body.html"


PLACES: dict[str, Place] = {}


def register(place: Place) -> None:
    """Puts a place into the registry, in the order of the navigation."""
    PLACES[place.name] = place
    ordered = sorted(PLACES.values(), key=lambda one: (one.group, one.order))
    PLACES.clear()
    PLACES.update({one.name: one for one in ordered})


def navigation() -> list[list[Place]]:
    """Places by group, as the head of every page lists them."""
    return [[place for place in PLACES.values() if place.group == group] for group in (FLOW, FIGURES, RECORD, SETUP)]


EVERYWHERE: Keys = (
    ("`/`", "find a strip by name, or a command"),
    ("`Ctrl z` `Ctrl y`", "undo, redo"),
    ("`o`", "details of the selected strip"),
    ("`?`", "shortcuts"),
)


def all_keys() -> list[list[tuple[str, Keys]]]:
    """Headings and their keys, in two columns: the place with most keys has one of its own."""
    with_keys = [(place.title, place.keys) for place in PLACES.values() if place.keys]
    longest = max(with_keys, key=lambda one: len(one[1]), default=("", ()))
    return [[("Everywhere", EVERYWHERE), *(one for one in with_keys if one is not longest)], [longest]]


def wanted(request: HttpRequest, name: str) -> str:
    """The parameters of the page's address, for a page and for a write on it."""
    return request.GET.get(name) or request.POST.get(f"chosen_{name}") or ""
