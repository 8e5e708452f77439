"""What a writer is."""

from __future__ import annotations

from collections.abc import Callable

from django.http import QueryDict

from lattice.checks import Step
from lattice.model.document import Template

Written = tuple[str, list[Step]]  # the journal's words, and the edits
Writer = Callable[[QueryDict, Template], Written]
