"""Tags of strips outside the programme, with the deliverables that exclude them.

Defined in docs/reference/model.md, known tags.
"""

from __future__ import annotations

# Tags that no stem and no mix may have. The order decides the name for a strip with two of them.
KEPT_OUT_OF_STEMS = ("click", "reference", "guide", "talkback")
# Tags that stems need not sum with: these, and the sync pop, which mixes and stems carry separately.
NOT_ADDED_UP = frozenset((*KEPT_OUT_OF_STEMS, "pop"))
# Tags that need no path through their section's bus either: a trigger only keys others.
NOT_PROGRAMME = frozenset((*NOT_ADDED_UP, "trigger"))
# Tags that go straight to an output, past the mix.
PAST_THE_MIX = frozenset(KEPT_OUT_OF_STEMS)
