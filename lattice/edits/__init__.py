"""Every change to a template as a function from template to template, by a name and plain arguments.

A change never touches the template it is given. Its inverse is the patch between the two turned round
(`lattice.changes.patch`), whatever the edit was.
"""

from lattice.changes.patch import Patch, diff
from lattice.edits.registry import EDITS, apply, apply_steps

__all__ = ["EDITS", "Patch", "apply", "apply_steps", "diff"]
