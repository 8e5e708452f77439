"""A template at one version with what is computed on it, kept in memory for the next question."""

from __future__ import annotations

from collections import OrderedDict
from functools import cached_property
from threading import Lock

from lattice.checks import Audit, audit
from lattice.formats.document_json import load
from lattice.graph.compiled import Compiled
from lattice.graph.loops import LoopGraph
from lattice.model.document import Template
from web.shelf.models import StoredTemplate

KEPT = 24


class Workspace:
    """The document, its compiled form, its audit. Each is computed once a version."""

    def __init__(self, template: Template) -> None:
        self.template = template

    @cached_property
    def compiled(self) -> Compiled:
        return Compiled(self.template)

    @cached_property
    def audit(self) -> Audit:
        return audit(self.template, self.compiled)

    @cached_property
    def feedback(self) -> frozenset[int]:
        return LoopGraph(self.compiled).feedback


_kept: OrderedDict[tuple[int, int], Workspace] = OrderedDict()
_lock = Lock()


def workspace(stored: StoredTemplate) -> Workspace:
    """The workspace of a stored template at the version it has."""
    key = (stored.pk, stored.version)
    with _lock:
        found = _kept.get(key)
        if found is not None:
            _kept.move_to_end(key)
            return found
    return keep(stored, Workspace(load(bytes(stored.head))))


def keep(stored: StoredTemplate, space: Workspace) -> Workspace:
    with _lock:
        _kept[stored.pk, stored.version] = space
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return space


def forget_all() -> None:
    """For tests, where databases and so ids come again."""
    with _lock:
        _kept.clear()
