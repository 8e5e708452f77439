"""A template at one version with its computed results, cached in memory."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any, TypeVar

from django.conf import settings

from lattice.drawing import Hidden, Sheet, Slots, draw, hiding
from lattice.drawing.redraw import redrawn
from lattice.drawing.svg import Kept
from lattice.errors import DocumentError
from lattice.formats.document_json import load
from lattice.graph.signal_graph import SignalGraph
from lattice.matters.effect import Effects, State, effects_of
from lattice.matters.matter import Matter, matters_of
from lattice.model.document import Template
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate

PIECE_BYTES = 4096  # of a strip or route with its computed results and findings; measured: 2 to 4 kB
MOST_WORKED_OUT = 40  # pages' own results of one version
MOST_DRAWN = 4  # maps of one template with other folds
DRAWN_BYTES = 1536  # of a strip or route on each of them beside the first; measured: 0.2 to 1.5 kB
MOST_WORK = 60_000  # limit of the audits of fixes, by `trial_work`: a second or two


T = TypeVar("T")


class UnreadableError(Exception):
    """The stored bytes are not a valid template; `problems` has the reasons."""

    def __init__(self, stored: StoredTemplate, problems: tuple[str, ...]) -> None:
        super().__init__(f"template {stored.pk} cannot be read: {'; '.join(problems[:3])}")
        self.stored, self.problems = stored, problems


class Workspace(State):
    """A template with its computed results, and its map. Each is computed once a version.

    Parameters
    ----------
    template
        A validated template.
    before
        The workspace of the version before an edit: its map is reused if the edit does not move it.
    """

    def __init__(self, template: Template, before: Workspace | None = None) -> None:
        super().__init__(template, made_from=before.analysis if before is not None else None)
        self._matters: tuple[Matter, ...] | None = None
        self.is_followed = False
        self.effects: Effects = {}  # effects of fixes, once computed
        self._worked_out: dict[tuple[str, Any], Any] = {}
        self._drawn: tuple[Drawn, ...] = ()  # maps with other collapsed sections, the most recent at the end
        self._before = (before._drawn, before.graph, before.feedback) if before is not None else None
        # Records of the page as they were made last, each good for the very pieces it was made from.
        self.records: dict[str, tuple[Any, ...]] = before.records if before is not None else {}

    @property
    def graph(self) -> SignalGraph:
        return self.analysis.graph

    @property
    def matters(self) -> tuple[Matter, ...]:
        """Findings by their cause; with consequences across codes once they are computed."""
        if self._matters is None:
            self._matters = matters_of(self.analysis, self.audit, hang=False)
        return self._matters

    def follow(self) -> None:
        """Compute consequences across codes and the effects of fixes, by trying them.

        This takes longer than an edit may.
        """
        if not self.is_followed:
            self._matters = matters_of(self.analysis, self.audit)
            self.effects = effects_of(self, self._matters, MOST_WORK)
            self.is_followed = True

    def once(self, what: str, of: Any, work: Callable[[], T]) -> T:
        """Results of a page for this version alone, cached for the next view.

        Parameters
        ----------
        what, of
            Its name, and the part of the template it is about.
        work
            Its computation. Two threads may run it at once; the result is the same.
        """
        key = what, of
        known = self._worked_out
        if key in known:
            return known[key]  # type: ignore[no-any-return]
        found = work()
        self._worked_out = {**(known if len(known) < MOST_WORKED_OUT else {}), key: found}
        return found

    @property
    def feedback(self) -> frozenset[int]:
        return self.analysis.loops.feedback

    def drawn(self, folded: frozenset[str], slots: bytes) -> Drawn:
        """The map with some sections collapsed; the last few are cached, since each user has their own.

        Strips that `slots` does not know get one. A map drawn with the slots it gave is the same map.
        """
        known = self._drawn
        made = _of(known, folded, slots) or self._redrawn(folded, slots) or self._drawn_whole(folded, slots)
        self._drawn = (*(one for one in known if one.folded != folded), made)[-MOST_DRAWN:]
        return made

    def _redrawn(self, folded: frozenset[str], slots: bytes) -> Drawn | None:
        """The map before the edit with changed looks, if nothing has moved."""
        if self._before is None:
            return None
        known, graph, feedback = self._before
        was = _of(known, folded, slots)
        sheet = redrawn(was.sheet, graph, self.graph, (feedback, self.feedback)) if was else None
        return Drawn(sheet, folded, slots, was.after, was.kept) if was and sheet else None

    def _drawn_whole(self, folded: frozenset[str], slots: bytes) -> Drawn:
        known = Slots.load(slots)
        sheet = draw(self.graph, self.feedback, folded, known)
        nearest = next(reversed(self._drawn or (self._before[0] if self._before is not None else ())), None)
        return Drawn(sheet, folded, slots, known.dump(), nearest.kept.copy() if nearest else Kept())


@dataclass(frozen=True)
class Drawn:
    """A map, its inputs, and its pieces as text."""

    sheet: Sheet
    folded: frozenset[str]
    slots: bytes
    after: bytes  # slots with those of newcomers
    kept: Kept
    partial: dict[Hidden, Drawn] = field(default_factory=dict, compare=False)  # the last map with hidden kinds

    def without(self, hidden: Hidden) -> Drawn:
        """The same map without some kinds of strips and routes."""
        if not hidden:
            return self
        known = self.partial.get(hidden)
        if known is None:
            names = {box.id: box.name for box in self.sheet.boxes}
            known = replace(self, sheet=hiding(self.sheet, hidden, names), kept=self.kept.copy(), partial={})
            self.partial.clear()
            self.partial[hidden] = known
        return known

    def is_of(self, folded: frozenset[str], slots: bytes) -> bool:
        """Return whether these folds and slots give this map."""
        return self.folded == folded and slots in (self.slots, self.after)


def _of(known: tuple[Drawn, ...], folded: frozenset[str], slots: bytes) -> Drawn | None:
    return next((one for one in known if one.is_of(folded, slots)), None)


_kept: OrderedDict[int, tuple[int, Workspace]] = OrderedDict()  # template → (version, workspace)
_lock = Lock()


def workspace(stored: StoredTemplate) -> Workspace:
    """The workspace of a stored template at the version it has. Raises UnreadableError."""
    with _lock:
        version, space = _kept.get(stored.pk, (0, None))
        if space is not None and version == stored.version:
            _kept.move_to_end(stored.pk)
            return space
    try:
        template = load(document_of(bytes(stored.head)))
    except DocumentError as error:
        raise UnreadableError(stored, error.problems) from None
    return keep(stored, Workspace(template))


def keep(stored: StoredTemplate, space: Workspace) -> Workspace:
    """Remembers a workspace in the place of the template's older one."""
    with _lock:
        if stored.version >= _kept.get(stored.pk, (0, None))[0]:
            _kept[stored.pk] = stored.version, space
            _kept.move_to_end(stored.pk)
        while sum(size_of(one) for _version, one in _kept.values()) > settings.CACHE_BYTES and len(_kept) > 1:
            _kept.popitem(last=False)
    return space


def size_of(space: Workspace) -> int:
    """About how many bytes a workspace takes."""
    pieces = len(space.template.strips) + len(space.template.routes) + 1
    return pieces * (PIECE_BYTES + DRAWN_BYTES * max(len(space._drawn) - 1, 0))


def forget_all() -> None:
    """For tests, where databases and so ids come again."""
    with _lock:
        _kept.clear()
