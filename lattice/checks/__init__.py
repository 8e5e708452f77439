"""A registry of checks, one module a family."""

from lattice.checks.audit import Audit, audit, audit_of
from lattice.checks.finding import Finding, Remedy

__all__ = ["Audit", "Finding", "Remedy", "audit", "audit_of"]
