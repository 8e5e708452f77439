"""What can be wrong with a template: a registry of checks, one module a family."""

from lattice.checks.audit import Audit, audit, audit_scene
from lattice.checks.finding import Finding, Remedy, Step
from lattice.checks.scene import Scene

__all__ = ["Audit", "Finding", "Remedy", "Scene", "Step", "audit", "audit_scene"]
