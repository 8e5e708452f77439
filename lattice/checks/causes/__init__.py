"""Causes: which findings of a code are one mistake."""

from lattice.checks.causes.by_cause import by_cause, cause_of
from lattice.checks.causes.shared_routes import Cause

__all__ = ["Cause", "by_cause", "cause_of"]
