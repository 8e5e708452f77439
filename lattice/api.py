"""The functions of the package for Python users: `import lattice`, then `lattice.load(…)`, `lattice.audit(…)` ….

Figures have the forms of `--json` (docs/reference/command-line.md). docs/python.md has runnable examples.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from lattice import tracing
from lattice.analysis import Analysis
from lattice.checks.audit import audit
from lattice.deliverables import report as stem_report
from lattice.edits import apply_steps, edit_named
from lattice.edits.arguments import Pieces
from lattice.edits.typed import typed
from lattice.formats.registry import read
from lattice.gain_staging import report as level_report
from lattice.graph.signal_graph import SignalGraph
from lattice.latency import report as timing_report
from lattice.matters.effect import State
from lattice.matters.matter import Matter, matters_of
from lattice.matters.plan import plan
from lattice.model.document import Template
from lattice.model.inventory import Inventory

__all__ = ["apply", "audit", "issues", "levels", "load", "plan", "stems", "timing", "trace"]

Value = str | float | bool | None | Mapping[str, Any] | Sequence[Any]


def load(source: str | Path | bytes | Mapping[str, Any]) -> Template:
    """Read a template.

    Parameters
    ----------
    source
        Path of a document (`.json`), a track sheet (`.csv`) or a workbook; the bytes of a document; or a document as a
        dictionary.

    Returns
    -------
    Template
        A validated, immutable template. Lists are tuples.

    Raises
    ------
    DocumentError
        With every problem and its place in `problems`.
    OSError
        If the file cannot be read.

    Examples
    --------
    >>> import lattice
    >>> template = lattice.load({"name": "Demo", "strips": [{"id": "kick", "name": "Kick", "kind": "audio"}]})
    >>> template.strips[0].name
    'Kick'
    """
    if isinstance(source, Mapping):
        return read(msgspec.json.encode(source), "document.json")
    if isinstance(source, bytes):
        return read(source, "document.json")
    return read(Path(source).read_bytes(), str(source))


def issues(template: Template, inventory: Inventory | None = None) -> tuple[Matter, ...]:
    """Group the findings of a template by cause, with consequences and fixes (docs/reference/causes.md).

    Parameters
    ----------
    template
        A validated template.
    inventory
        As in `audit`.

    Returns
    -------
    tuple of Matter
        Worst first. Each open finding is in exactly one.
    """
    state = State(template, inventory)
    return matters_of(state.analysis, state.audit)


def levels(template: Template) -> dict[str, Any]:
    """Compute levels at every stage, in dBFS (docs/reference/checks.md, *Levels*).

    Parameters
    ----------
    template
        A validated template.

    Returns
    -------
    dict
        The form of `lattice levels --json`: by strip and stage, one value a channel for `peak_dbfs` (worst case),
        `likely_dbfs` and `rms_dbfs`. None is silence.

    Examples
    --------
    >>> import lattice
    >>> template = lattice.load({
    ...     "name": "Demo",
    ...     "strips": [
    ...         {"id": "a", "name": "A", "kind": "audio"},
    ...         {"id": "b", "name": "B", "kind": "audio"},
    ...         {"id": "out", "name": "Out", "kind": "output", "io": [1]},
    ...     ],
    ...     "routes": [
    ...         {"id": "r1", "kind": "feed", "from": "a", "to": "out"},
    ...         {"id": "r2", "kind": "feed", "from": "b", "to": "out"},
    ...     ],
    ... })
    >>> post = lattice.levels(template)["strips"]["out"]["post"]
    >>> round(post["peak_dbfs"][0], 2), round(post["likely_dbfs"][0], 2)
    (0.02, -2.99)
    """
    return level_report.as_json(Analysis(template).levels)


def timing(template: Template) -> dict[str, Any]:
    """Compute arrivals, compensation and total latency, in samples (docs/reference/checks.md, *Timing*).

    Parameters
    ----------
    template
        A validated template.

    Returns
    -------
    dict
        The form of `lattice timing --json`.
    """
    return timing_report.as_json(Analysis(template).arrivals)


def stems(template: Template) -> dict[str, Any]:
    """Compute the level of each source in each stem, in dB (docs/reference/checks.md, *Stems*).

    Parameters
    ----------
    template
        A validated template.

    Returns
    -------
    dict
        The form of `lattice stems --json`: `ledger` by source and stem, `cut` true if the stems sum to the mix.
    """
    return stem_report.as_json(Analysis(template).ledger)


def trace(template: Template, start: str, end: str | None = None) -> dict[str, Any]:
    """List the paths of a strip, hop by hop, with level and arrival.

    Parameters
    ----------
    template
        A validated template.
    start
        ID of a strip, or `strip/outlet`.
    end
        ID of the last strip; None for every endpoint.

    Returns
    -------
    dict
        The form of `lattice trace --json`. Unblocked paths come first.

    Raises
    ------
    DocumentError
        If an ID does not exist.
    """
    graph = SignalGraph(template)
    return tracing.as_json(graph, tracing.trace(graph, start, end))


def apply(template: Template, edit: str, **fields: Value) -> Template:
    """Apply one edit; `lattice edits` lists all edits with their fields.

    Parameters
    ----------
    template
        A validated template. It does not change.
    edit
        Name of the edit.
    **fields
        Values as typed on screen (`"-3 dB"`, `"off"`, `"64 smp"`), or numbers. Items by ID or by unique name. Several
        values as a list, structures as dictionaries. A trailing underscore is ignored: `from_="kick"`.

    Returns
    -------
    Template
        The template after the edit. Unchanged parts are shared.

    Raises
    ------
    EditError
        If the edit or a field does not exist, or the edit is not possible.
    DocumentError
        If the result is not a valid template.

    Examples
    --------
    >>> import lattice
    >>> template = lattice.load({"name": "Demo", "strips": [{"id": "kick", "name": "Kick", "kind": "audio"}]})
    >>> lattice.apply(template, "change_strip", strip="Kick", fader_db="-3 dB").strips[0].fader_db
    -3.0
    """
    pieces = {argument.name for argument in edit_named(edit).arguments if isinstance(argument, Pieces)}
    fields = {name.removesuffix("_"): value for name, value in fields.items()}
    words = [f"{name}={text}" for name, value in fields.items() for text in _texts(value, is_many=name in pieces)]
    return apply_steps(template, [typed(template, edit, words)])


def _texts(value: Value, *, is_many: bool) -> list[str]:
    """Convert a value from its typed form; a list becomes several values, or one with commas."""
    if isinstance(value, str):
        return [value]
    if value is None:
        return ["off"]
    if isinstance(value, bool):
        return ["1" if value else ""]
    if isinstance(value, int | float):
        return [f"{value!r}"]
    if isinstance(value, Sequence) and all(isinstance(one, str) for one in value):
        return [str(one) for one in value] if is_many else [", ".join(value)]
    return [msgspec.json.encode(value).decode()]
