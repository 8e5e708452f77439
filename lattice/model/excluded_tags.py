"""Tags of strips that are no part of the programme, by what they are left out of.

Defined in docs/reference/model.md, known tags.
"""

from __future__ import annotations

# What must stand in no stem and no mix. The order is that in which a strip with two of them is named.
KEPT_OUT_OF_STEMS = ("click", "reference", "guide", "talkback")
# What stems need not add up with: those, and the sync pop, which mixes and stems carry each by itself.
NOT_ADDED_UP = frozenset((*KEPT_OUT_OF_STEMS, "pop"))
# What need not be heard through its section's bus either: a trigger only keys others.
NOT_PROGRAMME = frozenset((*NOT_ADDED_UP, "trigger"))
