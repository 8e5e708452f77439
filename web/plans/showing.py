"""A plan as the page shows it and keeps it: plain values, with sentences for fingerprints."""

from __future__ import annotations

from collections.abc import Sequence
from math import isfinite
from typing import Any

import msgspec

from lattice.checks import Finding
from lattice.matters.effect import Effect
from lattice.matters.plan import Plan
from lattice.model.edit_step import EditStep


def shown(made: Plan) -> dict[str, Any]:
    """The content of a plan: `plan --json`, and the subjects beside the fingerprints."""
    content = made.as_json()
    for step, its in zip(made.steps, content["steps"], strict=True):
        its |= {"right": _said(step.puts_right), "come": _said(step.brings)}
    for question, its in zip(made.questions, content["questions"], strict=True):
        its["severity"] = question.matter.severity
        for (remedy, effect), answer in zip(question.answers, its["remedies"], strict=True):
            answer |= {
                "edits": edits_of(remedy.steps),
                "right": _said(effect.puts_right),
                "come": _said(effect.brings),
                **outcome(effect),
            }
    return content | outcome(made.effect)


def edits_of(steps: Sequence[EditStep]) -> list[dict[str, Any]]:
    """Edits as plain values."""
    return [{"edit": step.edit, **msgspec.to_builtins(step.arguments)} for step in steps]


def outcome(effect: Effect) -> dict[str, Any]:
    """Levels and latency behind an effect."""
    return {
        "levels": [
            {"name": one.name, "now": _finite(one.now), "then": _finite(one.then), "change": _finite(one.change)}
            for one in effect.levels
        ],
        "latency": list(effect.latency_samples),
    }


def steps_of(edits: Sequence[dict[str, Any]]) -> list[EditStep]:
    """The steps from `edits_of`."""
    return [EditStep(one["edit"], {name: value for name, value in one.items() if name != "edit"}) for one in edits]


def _finite(level_db: float) -> float | None:
    return round(level_db, 2) if isfinite(level_db) else None


def _said(findings: Sequence[Finding]) -> list[dict[str, str]]:
    return [{"severity": one.severity, "message": one.message} for one in findings]
