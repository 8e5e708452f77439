"""Where sound comes from: a strip's own chain, or one of its outlets beyond the main one."""

from __future__ import annotations

from typing import NamedTuple

# Sorts before every outlet, so a chain comes before the outlets of its strip.
NO_OUTLET = -1


class Origin(NamedTuple):
    """A place sound starts at, by position in `SignalGraph`; sorts in document order, a chain before its outlets."""

    strip: int
    outlet: int = NO_OUTLET  # position in `SignalGraph.outlets`, NO_OUTLET for the chain (its main outlet)

    @property
    def is_chain(self) -> bool:
        """Return whether the sound leaves by the strip's own chain."""
        return self.outlet < 0
