"""Records for the scripts: the names of the fields once, then a row a record.

`web/static/js/data.js` reads them. A template may have thousands of strips, and an answer to an edit carries all of
them: with the names in every record it would be twice as long.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, TypedDict

import msgspec
from django.utils.safestring import SafeString, mark_safe


class Records(TypedDict):
    columns: Sequence[str]
    rows: list[Sequence[Any]]


def records(columns: str, rows: Iterable[Sequence[Any]]) -> Records:
    """Rows under names of columns, which are given with blanks between."""
    return {"columns": columns.split(), "rows": list(rows)}


def as_data(value: Any) -> SafeString:
    """JSON as the text of a hidden element: quotes may be plain."""
    text = msgspec.json.encode(value).decode()
    return mark_safe(text.replace("&", "&amp;").replace("<", "&lt;"))  # noqa: S308 - escaped here
