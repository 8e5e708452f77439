"""The demo's parts: two blocks of Night Ferry, and a variant of it."""

from __future__ import annotations

from django.contrib.auth.models import User

from lattice.edits.extract import taken_out
from lattice.edits.reduce import cut_down
from web.reuse.making import as_variant
from web.reuse.services import keep_block
from web.shelf import services
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

NARRATION_ALONE = "Night Ferry, narration alone"
PARTS = (
    (
        "ensemble",
        "Glass and tide",
        "Glass players, their sampler and the tide synth; open at bus and hall.",
    ),
    ("choir", "Choir", "Four voices on a separate machine. Set the channels of the tie when you add the block."),
)


def with_parts(user: User, stored: StoredTemplate) -> None:
    """Two sections of the clean revision as blocks, and the narration alone as a variant of it."""
    template = workspace(stored).template
    for section, name, note in PARTS:
        strips = [strip.id for strip in template.strips if strip.section == section]
        keep_block(user, taken_out(template, strips, name, note))
    services.store_variant(stored, user, as_variant(cut_down(template, sections=["narration"]), NARRATION_ALONE))
