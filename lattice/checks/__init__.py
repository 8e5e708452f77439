"""What can be wrong with a template: a registry of checks, one module a family."""

from lattice.checks.audit import Audit, audit
from lattice.checks.finding import Finding, Remedy, Step

__all__ = ["Audit", "Finding", "Remedy", "Step", "audit"]
