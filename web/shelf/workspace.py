"""A template at one version with what is computed on it, kept in memory for the next question."""

from __future__ import annotations

from collections import OrderedDict
from functools import cached_property
from threading import Lock

from lattice.analysis import Analysis
from lattice.checks import Audit, audit_of
from lattice.errors import DocumentError
from lattice.formats.document_json import load
from lattice.graph.signal_graph import SignalGraph
from lattice.matters.effect import State, effects_of
from lattice.matters.matter import Matter, matters_of
from lattice.model.document import Template
from lattice.sheet import Sheet, Slots, draw
from web.shelf.heads import document_of
from web.shelf.models import StoredTemplate

KEPT = 24
MOST_WORK = 60_000  # what audits of remedies may cost, by `trial_work`: a second or two


class UnreadableError(Exception):
    """What is stored does not read as a template; `problems` says why."""

    def __init__(self, stored: StoredTemplate, problems: tuple[str, ...]) -> None:
        super().__init__(f"template {stored.pk} does not read: {'; '.join(problems[:3])}")
        self.stored, self.problems = stored, problems


class Workspace:
    """The document, its graph form, its audit. Each is computed once a version."""

    def __init__(self, template: Template) -> None:
        self.template = template
        self._matters: tuple[Matter, ...] | None = None
        self.is_followed = False
        self.effects: dict[tuple[str, int], str] = {}  # (matter, place of a remedy) → what it would do
        self._drawn: tuple[set[tuple[frozenset[str], bytes]], tuple[Sheet, bytes]] | None = None

    @cached_property
    def analysis(self) -> Analysis:
        return Analysis(self.template)

    @property
    def graph(self) -> SignalGraph:
        return self.analysis.graph

    @cached_property
    def audit(self) -> Audit:
        return audit_of(self.analysis)

    @property
    def matters(self) -> tuple[Matter, ...]:
        """Findings by the mistake behind them; with what follows across codes once that has been looked for."""
        if self._matters is None:
            self._matters = matters_of(self.analysis, self.audit, hang=False)
        return self._matters

    def follow(self) -> None:
        """Looks for what follows across codes and for what remedies do, by trying them.

        That takes longer than anybody who edits should wait.
        """
        if not self.is_followed:
            self._matters = matters_of(self.analysis, self.audit)
            self.effects = effects_of(State.of(self.analysis, self.audit), self._matters, MOST_WORK)
            self.is_followed = True

    @property
    def feedback(self) -> frozenset[int]:
        return self.analysis.loops.feedback

    def drawn(self, folded: frozenset[str], slots: bytes) -> tuple[Sheet, bytes]:
        """The map with some sections folded, and the slots that its strips have on it; the last one is kept.

        Strips that `slots` does not know get one. A map drawn with the slots it gave is the same map.
        """
        if self._drawn is not None and (folded, slots) in self._drawn[0]:
            return self._drawn[1]
        kept = Slots.load(slots)
        sheet = draw(self.graph, self.feedback, folded, kept)
        after = kept.dump()
        self._drawn = {(folded, slots), (folded, after)}, (sheet, after)
        return self._drawn[1]


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
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return space


def forget_all() -> None:
    """For tests, where databases and so ids come again."""
    with _lock:
        _kept.clear()
