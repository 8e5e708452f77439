"""A block: some strips with the routes among them, and open ends where those lead to strips outside.

It is a small template of its own, so that everything that reads, checks, draws or compares templates does so with a
block; its open ends are strips that stand for those outside.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from lattice.model.document import Label, Piece, Strip, Template, Text

BLOCK_FORMAT = "intact-lattice.block"


class OpenEnd(Piece, frozen=True, kw_only=True):
    """A strip of a block's template that stands for one outside, and how people call that end: “to a bus”."""

    strip: str
    name: Label


class Block(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A part to be used again."""

    format: Literal["intact-lattice.block"] = "intact-lattice.block"
    version: Literal[1] = 1
    note: Text = ""
    ends: tuple[OpenEnd, ...] = ()
    template: Template

    @property
    def name(self) -> str:
        """Its template's."""
        return self.template.name

    @property
    def strips(self) -> tuple[Strip, ...]:
        """Its own strips, without those that stand for others."""
        outside = {end.strip for end in self.ends}
        return tuple(strip for strip in self.template.strips if strip.id not in outside)
