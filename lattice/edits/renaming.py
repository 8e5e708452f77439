"""A block's template under the ids that its pieces have where it was put in, so that the two can be compared."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from lattice.model.block import Block
from lattice.model.document import Rule, Template
from lattice.model.section_defaults import defaults_renamed

NEW = "new-{}"  # ids of what has come to the block since: none of a template's own


def with_new_ids(block: Block, ids: Mapping[str, Mapping[str, str]], there: Template) -> Template:
    """A block's template as it would be after adding the block.

    Parameters
    ----------
    block
        The block, in any of its states.
    ids
        For strips, routes, inserts, sections and machines: of the block → there.
    there
        The template; pieces added to the block since have ids that are free in it.

    Returns
    -------
    Template
        Not for storing: routes and strips that were left out when it was put in are missing.
    """
    made = _Renamed(ids, there)
    inner, ends = block.template, {end.strip for end in block.ends}
    strips = tuple(
        replace(
            strip, id=made.one("strips", strip.id), section=made.maybe("sections", strip.section),
            machine=made.maybe("machines", strip.machine),
            inserts=tuple(replace(insert, id=made.one("inserts", insert.id)) for insert in strip.inserts),
        )
        for strip in inner.strips if strip.id not in ends
    )  # fmt: skip
    routes = tuple(
        replace(
            route, id=made.one("routes", route.id), from_strip=made.one("strips", route.from_strip),
            to=made.one("strips", route.to), to_insert=made.maybe("inserts", route.to_insert),
        )
        for route in inner.routes
    )  # fmt: skip
    sections = tuple(
        replace(
            section, id=made.one("sections", section.id), parent=made.maybe("sections", section.parent),
            bus=made.maybe("strips", section.bus),
            defaults=defaults_renamed(section.defaults, lambda strip: made.maybe("strips", strip)),
        )
        for section in inner.sections
    )  # fmt: skip
    return Template(
        name=inner.name, strips=strips, routes=routes, sections=sections, machines=there.machines,
        rules=tuple(made.rule(rule) for rule in inner.rules),
    )  # fmt: skip


class _Renamed:
    def __init__(self, ids: Mapping[str, Mapping[str, str]], there: Template) -> None:
        self.ids = ids
        self.taken = {
            "strips": {one.id for one in there.strips}, "routes": {one.id for one in there.routes},
            "inserts": {insert.id for strip in there.strips for insert in strip.inserts},
            "sections": {one.id for one in there.sections}, "machines": {one.id for one in there.machines},
        }  # fmt: skip

    def one(self, what: str, name: str) -> str:
        """The id that a piece has there; of one that was not there then, one that is free."""
        known = self.ids[what].get(name)
        if known is not None:
            return known
        return name if name not in self.taken[what] else NEW.format(name)[:64]

    def maybe(self, what: str, name: str | None) -> str | None:
        return None if name is None else self.one(what, name)

    def rule(self, rule: Rule) -> Rule:
        parts: dict[str, Any] = {
            part: tuple(map(self._selector, getattr(rule, part))) for part in ("sources", "through", "to")
        }
        return replace(rule, **parts)

    def _selector(self, selector: str) -> str:
        sign, plain = ("!", selector[1:]) if selector.startswith("!") else ("", selector)
        what, _colon, name = plain.partition(":")
        return f"{sign}{what}:{self.one(f'{what}s', name)}" if what in ("strip", "section") else selector
