"""Lists on a page that change piece by piece: an answer to an edit carries the pieces that are other than those shown.

A page states its version of a list by a token (`data-shown`), for which the server remembers the content. If a token is
unknown, as after a restart, the whole list is sent. `web/static/js/changes.js` applies the changes.
"""

from __future__ import annotations

import re
import secrets
from collections import OrderedDict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

import msgspec
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from lattice.drawing.svg import FULL_SIZE_UP_TO
from web.shared.records import as_data, records

MOST_RECORDS = 60  # of a table that go out with an answer
MOST_REMEMBERED = 400_000  # pieces of all lists together: some 40 MB
# The number of a matter, small where it has three digits: “data-no="0123456789abcdef" class="long">123”.
NUMBER = re.compile(r'( data-no="[0-9a-f]{16}")(?: class="long")?>(\s*)\d+')
SVG = mark_safe("<svg>"), mark_safe("</svg>")
Piece = tuple[str, str]  # the id of an element, and the element
Remembered = dict[str, int]  # id → hash of its content

_shown: OrderedDict[str, Remembered] = OrderedDict()
_pieces = 0  # in all of them
_lock = Lock()


def said(piece: str) -> int:
    """The identity of a piece. An open page keeps the numbers of issues that it showed first."""
    return hash(NUMBER.sub("", piece) if "data-no" in piece else piece)


def renumbered(piece: str, number: int) -> str:
    """A piece of one matter with the number it has now."""
    look = ' class="long"' if number > FULL_SIZE_UP_TO else ""
    return NUMBER.sub(rf"\g<1>{look}>\g<2>{number}", piece)


def told(pieces: Iterable[Piece]) -> Remembered:
    """The remembered state of pieces."""
    return {key: said(piece) for key, piece in pieces}


def remember(shown: Remembered) -> str:
    """Remember the content of a list on a page; returns its token."""
    global _pieces  # noqa: PLW0603 - counted as it goes: there are thousands of lists
    token = secrets.token_hex(6)
    with _lock:
        _shown[token] = shown
        _pieces += len(shown)
        while _pieces > MOST_REMEMBERED and len(_shown) > 1:
            _pieces -= len(_shown.popitem(last=False)[1])
    return token


def recall(shown: str) -> dict[str, Remembered]:
    """The lists of a page, from its token parameter: `boxes:token lines:token`. Unknown tokens are left out."""
    found = {}
    with _lock:
        for word in shown.split():
            into, _colon, token = word.partition(":")
            if token in _shown:
                _shown.move_to_end(token)
                found[into] = _shown[token]
    return found


def forget_lists() -> None:
    """As after a restart."""
    global _pieces  # noqa: PLW0603
    with _lock:
        _shown.clear()
        _pieces = 0


@dataclass(frozen=True)
class Change:
    """The changes of a list or table for a page.

    Attributes
    ----------
    into, token
        The id of its element, and its current content.
    html
        Pieces that came or changed; of a table the records as data.
    keys
        Ids of all pieces in order; None if the order is unchanged.
    """

    into: str
    token: str
    html: SafeString
    keys: str | None = None
    is_svg: bool = False
    is_table: bool = False
    size: str = ""  # of a drawing: width and height

    @property
    def opening(self) -> SafeString:
        """The template that holds pieces until the script moves them; pieces of a drawing are inside an svg."""
        about = {"into": self.into, "token": self.token, "keys": self.keys, "size": self.size or None}
        about |= {"table": "true" if self.is_table else None, "drawing": "true" if self.is_svg else None}
        there = ((name, value) for name, value in about.items() if value is not None)
        attributes = format_html_join("", ' data-{}="{}"', there)
        return format_html("<template{}>{}", attributes, SVG[0] if self.is_svg else "")

    @property
    def closing(self) -> SafeString:
        """Its end tag."""
        return format_html("{}</template>", SVG[1] if self.is_svg else "")


@dataclass(frozen=True)
class KeyedList:
    """A list of elements with ids; `into` is the id of their parent element."""

    into: str
    pieces: Sequence[Piece]
    is_svg: bool = False
    size: str = ""

    @property
    def html(self) -> SafeString:
        """All of it."""
        return mark_safe("".join(piece for _key, piece in self.pieces))  # noqa: S308 - rendered, and escaped there

    def remembered(self) -> str:
        """The token for all of it, for a page that shows it."""
        return remember(told(self.pieces))

    def change(self, shown: Remembered | None) -> Change | None:
        """The difference from a page's version (None: unknown); None without a difference."""
        before, now = shown if shown is not None else {}, told(self.pieces)
        fresh = [(key, piece) for key, piece in self.pieces if before.get(key) != now[key]]
        is_same_order = shown is not None and list(before) == list(now)
        if not fresh and is_same_order:
            return None
        keys = None if is_same_order else " ".join(now)
        return Change(self.into, remember(now), KeyedList("", fresh).html, keys, self.is_svg, size=self.size)


def as_text(record: Sequence[Any]) -> str:
    """A record by its identity."""
    return msgspec.json.encode(record).decode()


@dataclass(frozen=True)
class Table:
    """Records for the scripts; the first field of each is its name. `pieces`: (name, record as text)."""

    columns: str
    rows: Sequence[Sequence[Any]]
    pieces: Sequence[Piece]

    @staticmethod
    def of(columns: str, rows: Sequence[Sequence[Any]]) -> Table:
        """The table of some records."""
        return Table(columns, rows, [(_name(row), as_text(row)) for row in rows])

    def remembered(self) -> str:
        """The token for all of it, for a page that shows it."""
        return remember(told(self.pieces))

    def whole(self) -> dict[str, Any]:
        """All of it with its token, for a page that requests it."""
        return {**records(self.columns, self.rows), "shown": self.remembered()}

    def change(self, into: str, shown: Remembered | None) -> Change | None:
        """Records added or changed since a page's version, and names of removed ones.

        More than MOST_RECORDS of them are only announced: the page fetches the table when it is idle.
        """
        before, now = shown if shown is not None else {}, told(self.pieces)
        fresh = [row for (key, _piece), row in zip(self.pieces, self.rows, strict=True) if before.get(key) != now[key]]
        gone = [key for key in before if key not in now]
        if shown is not None and not fresh and not gone:
            return None
        if len(fresh) + len(gone) > MOST_RECORDS:
            return Change(into, "", as_data({}), is_table=True)
        return Change(into, remember(now), as_data({**records(self.columns, fresh), "gone": gone}), is_table=True)


def _name(row: Sequence[Any]) -> str:
    """The first field as the scripts name a record by it: a list with commas between."""
    return ",".join(row[0]) if isinstance(row[0], list | tuple) else str(row[0])


def changes(lists: Iterable[KeyedList], tables: dict[str, Table], page: str) -> list[Change]:
    """The changes for a page with a known version."""
    shown = recall(page)
    found = [one.change(shown.get(one.into)) for one in lists]
    found += [table.change(into, shown.get(into)) for into, table in tables.items()]
    return [one for one in found if one is not None]
