"""A block: some strips with the routes among them, and open ends where those lead to strips outside.

It is a small template of its own, so that all code for templates also reads, checks, draws or compares blocks. Its open
ends are strips that represent strips outside.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from lattice.model.document import Label, Piece, Strip, Template, Text

BLOCK_FORMAT = "intact-lattice.block"


class OpenEnd(Piece, frozen=True, kw_only=True):
    """A strip of a block's template that represents one outside, and the label of that end: “to a bus”."""

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
        """Its own strips, without those that represent others."""
        outside = {end.strip for end in self.ends}
        return tuple(strip for strip in self.template.strips if strip.id not in outside)
