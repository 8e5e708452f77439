"""Routes put, levelled or taken at many crosspoints of a grid at once."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from lattice.edits.arguments import Choice, Level, Text, Words
from lattice.edits.described import edit
from lattice.edits.routes import add_route, change_route, remove_routes
from lattice.errors import EditError
from lattice.model.document import Route, Template

# A range of 70 by 70: above it a slip is likelier than a wish.
MOST_CELLS = 5000
# A common start for a reverb send; 0 dB would be far too much (common practice).
USUAL_SEND_DB = -10.0
KINDS = ("feed", "send", "key", "midi", "tie", "sound")


def grid_of(route: Route) -> str:
    """The grid of a route: feeds and sends share one."""
    return "sound" if route.kind in ("feed", "send") else route.kind


def column_of(route: Route) -> str:
    """The column of a route's end: a strip, or strip/insert for a key."""
    return f"{route.to}/{route.to_insert}" if route.kind == "key" else route.to


def _words(_template: Template, arguments: dict[str, Any]) -> str:
    verb = {"take": "Remove", "level": "Level of"}.get(arguments.get("do", "put"), "Add")
    count = len(arguments["cells"])
    return f"{verb} routes at {count} crosspoint{'s' if count > 1 else ''}"


@edit(
    Words("cells"),
    Choice("do", options=("put", "level", "take"), default="put"),
    Choice("kind", options=KINDS, default="feed"),
    Level("gain_db", "level", default=USUAL_SEND_DB),
    Text("tap", default="post-fader"),
    says=_words,
)
def put_cells(
    template: Template,
    cells: list[str],
    do: str = "put",
    kind: str = "feed",
    gain_db: float | None = USUAL_SEND_DB,
    tap: str = "post-fader",
) -> Template:
    """Puts or takes routes in many cells at once.

    Parameters
    ----------
    template
        The template.
    cells
        Each as `row|column`: a strip or strip/outlet, and a strip or strip/insert; 1 to 5000 of them.
    do
        `put` adds a missing route of `kind`; `level` sets existing ones to `gain_db` and adds missing sends; `take`
        removes those in the grid of `kind`.
    kind, gain_db, tap
        For added routes; level and tap are those of sends.

    Raises
    ------
    EditError
        Where nothing would change, or a route may not be made.
    """
    pairs = [tuple(cell.split("|", 1)) for cell in cells if "|" in cell]
    if not pairs or len(pairs) > MOST_CELLS:
        raise EditError(f"{len(pairs)} crosspoints are selected; 1 to {MOST_CELLS} are allowed")
    there: dict[tuple[str, str], list[Route]] = defaultdict(list)
    for route in template.routes:
        for row in {route.from_strip, f"{route.from_strip}/{route.from_outlet}"}:
            there[row, column_of(route)].append(route)
    if do == "take":
        return _taken(template, [route for pair in pairs for route in there[pair[0], pair[1]]], kind)
    before = template
    for row, column in pairs:
        template = _put(template, do, _new(kind, do, row, column, gain_db, tap), there[row, column])
    if template is before:
        raise EditError("these crosspoints need no change")
    return template


def _taken(template: Template, routes: list[Route], kind: str) -> Template:
    grid = "sound" if kind in ("feed", "send") else kind
    gone = list(dict.fromkeys(route.id for route in routes if grid_of(route) == grid))
    if not gone:
        raise EditError("these crosspoints have no routes")
    return remove_routes(template, gone)


def _put(template: Template, do: str, fields: dict[str, Any], there: list[Route]) -> Template:
    if do == "put":
        return template if any(route.kind == fields["kind"] for route in there) else add_route(template, fields)
    levelled = [route for route in there if route.kind in ("feed", "send", "key")]
    for route in levelled:
        template = change_route(template, route.id, {"gain_db": fields.get("gain_db")})
    return template if levelled else add_route(template, fields)


def _new(kind: str, do: str, row: str, column: str, gain_db: float | None, tap: str) -> dict[str, Any]:
    """The route of a cell that has none."""
    start, _slash, outlet = row.partition("/")
    to, _slash, insert = column.partition("/")
    kind = "send" if do == "level" and kind == "feed" else kind
    fields: dict[str, Any] = {"kind": kind, "from": start, "to": to}
    fields |= {"from_outlet": outlet} if outlet else {}
    fields |= {"to_insert": insert} if insert else {}
    if do == "level" or kind == "send":
        fields["gain_db"] = gain_db
    return fields | ({"tap": tap} if kind == "send" else {})
