"""Causes: which findings of a code are one mistake."""

from lattice.checks.causes.by_cause import Cause, by_cause, cause_of

__all__ = ["Cause", "by_cause", "cause_of"]
