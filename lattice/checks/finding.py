"""A finding: one fault of a template, with its evidence and its fixes."""

from __future__ import annotations

from collections.abc import Sequence
from math import isfinite
from typing import Any, Literal

import msgspec

from lattice.checks.fix_kinds import kind_of, only_user_decides
from lattice.model.edit_step import EditStep

Severity = Literal["blocker", "warning", "note"]
SEVERITIES: tuple[Severity, ...] = ("blocker", "warning", "note")
# A mistake; something prepared and not connected yet; a statement that rests on levels nobody stated.
Standing = Literal["wrong", "unfinished", "assumed"]
STANDINGS: tuple[Standing, ...] = ("wrong", "unfinished", "assumed")


class Remedy(msgspec.Struct, frozen=True):
    """Edits that put a finding right, under the words of the button that makes them.

    Attributes
    ----------
    kind
        One of `fix_kinds.FIX_KINDS`, in whose order fixes are offered; left out, it is that of its steps.
    asks
        Whether only the user may decide on it: the plan never makes it.
    """

    label: str
    steps: tuple[EditStep, ...]
    kind: str = ""
    asks: bool | None = None

    def __post_init__(self) -> None:
        """Fills in kind and question by the steps."""
        if not self.kind:
            msgspec.structs.force_setattr(self, "kind", kind_of(self.steps))
        if self.asks is None:
            msgspec.structs.force_setattr(self, "asks", only_user_decides(self.steps))

    def as_json(self) -> dict[str, Any]:
        """The form of `fixes` in `audit --json`."""
        return {"label": self.label, "kind": self.kind, "asks": self.asks}

    @property
    def key(self) -> str:
        """Equal as long as its edits are equal, whatever its place in a list."""
        import hashlib  # noqa: PLC0415 - an audit asks for none

        return hashlib.sha256(msgspec.json.encode(self.steps, order="sorted")).hexdigest()[:12]


def first_of(lines: Sequence[str], most: int = 12) -> tuple[str, ...]:
    """The first lines of a long list, and how many more there are."""
    return (*lines[:most], *((f"and {len(lines) - most} more",) if len(lines) > most else ()))


class Finding(msgspec.Struct, frozen=True, kw_only=True):
    """The first id of a list is the one the finding is about; outlets are written strip/outlet."""

    code: str
    severity: Severity
    message: str
    standing: Standing = "wrong"
    issue: str = ""  # the kind of issue it belongs to with others of its kind, whatever their code (registry.ISSUES)
    strips: tuple[str, ...] = ()
    routes: tuple[str, ...] = ()
    inserts: tuple[str, ...] = ()
    stems: tuple[str, ...] = ()
    outlets: tuple[str, ...] = ()
    sections: tuple[str, ...] = ()
    others: tuple[str, ...] = ()  # ids of other things it is about: parts as strip/part, choices, machines
    figures: dict[str, float | None] = {}
    evidence: tuple[str, ...] = ()
    path: tuple[str, ...] = ()  # routes that show it on the map, beyond those it is about
    way: str = ""  # the names of a way that shows it, for lists: “Bells → Effects → Show mix”
    cause: tuple[str, ...] = ()  # ids that have to change to resolve it; empty: by its family (causes/by_cause.py)
    because: str = ""  # the cause in words, where the check knows them better than the ids tell
    remedies: tuple[Remedy, ...] = ()
    waived_by: str = ""  # what the waiver that covers it says it is about; empty where none does

    @property
    def waived(self) -> bool:
        """Return whether a waiver covers it."""
        return bool(self.waived_by)

    @property
    def fingerprint(self) -> str:
        """The same as long as the code and the ids are the same."""
        import hashlib  # noqa: PLC0415 - a clean audit needs none, and starts sooner without it

        ids = (
            self.strips,
            self.routes,
            self.inserts,
            self.stems,
            self.outlets,
            self.sections,
            *([self.others] if self.others else []),
        )
        text = "\n".join([self.code, *(" ".join(group) for group in ids)])
        return hashlib.sha256(text.encode()).hexdigest()[:16]

    def as_json(self) -> dict[str, Any]:
        """The form of `audit --json` (docs/reference/command-line.md)."""
        return {
            "code": self.code,
            "severity": self.severity,
            "standing": self.standing,
            "message": self.message,
            "strips": list(self.strips),
            "routes": list(self.routes),
            "inserts": list(self.inserts),
            "stems": list(self.stems),
            "outlets": list(self.outlets),
            "sections": list(self.sections),
            "others": list(self.others),
            "figures": {  # JSON has no infinity: what gains typed beyond all reason give is no figure
                name: value if value is None or isfinite(value) else None for name, value in self.figures.items()
            },
            "evidence": list(self.evidence),
            "remedies": [remedy.label for remedy in self.remedies],
            "fixes": [remedy.as_json() for remedy in self.remedies],
            "fingerprint": self.fingerprint,
            "waived": self.waived,
        }
