"""Intact Lattice: load a session template, audit it, compute levels, timing and stems, edit it, plan its repair.

Examples
--------
>>> import lattice
>>> template = lattice.load({"name": "Demo", "strips": [{"id": "kick", "name": "Kick", "kind": "audio"}]})
>>> lattice.audit(template).summary
{'blocker': 1, 'warning': 0, 'note': 0, 'waived': 0}
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from lattice.api import apply, audit, issues, levels, load, plan, stems, timing, trace

__version__ = "0.3.0"
__all__ = ["apply", "audit", "issues", "levels", "load", "plan", "stems", "timing", "trace"]


def __getattr__(name: str) -> Any:
    """The functions of `lattice.api`, imported when first used: a command imports only its own modules."""
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from lattice import api  # noqa: PLC0415 - as the sentence above says

    return getattr(api, name)


def __dir__() -> list[str]:
    return [*globals(), *__all__]
