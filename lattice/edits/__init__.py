"""Every change to a template as a function from template to template, by a name and plain arguments.

A change never touches the template it is given. Its inverse is the patch between the two turned round
(`lattice.changes.patch`), whatever the edit was.
"""

from lattice.changes.patch import Patch, diff
from lattice.edits.described import EDITS, Edit
from lattice.edits.registry import apply, apply_steps, edit_named

__all__ = ["EDITS", "Edit", "Patch", "apply", "apply_steps", "diff", "edit_named"]
