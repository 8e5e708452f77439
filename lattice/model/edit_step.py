"""One edit by name: fixes, forms and the history pass it to `lattice.edits`, which applies it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class EditStep:
    """One edit by the name it has in `lattice.edits`, with its arguments as plain values."""

    edit: str
    arguments: dict[str, Any]
