"""Writes of blocks."""

from __future__ import annotations

from django.contrib.auth.models import User

from lattice.formats.block_json import to_plain
from lattice.model.block import Block
from web.reuse.models import KeptBlock


def keep_block(user: User, block: Block) -> KeptBlock:
    """Keeps a block; another one under the same name is its next version, the same one changes nothing."""
    kept, is_new = KeptBlock.objects.get_or_create(owner=user, name=block.name, defaults={"content": to_plain(block)})
    if not is_new and kept.content != to_plain(block):
        kept.content, kept.version = to_plain(block), kept.version + 1
        kept.save()
    return kept
