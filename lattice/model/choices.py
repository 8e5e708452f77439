"""Members of choices: strips, outlets and sections."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from msgspec import UNSET
from msgspec.structs import replace

from lattice.model.document import Choice, Template
from lattice.model.selectors import select

SECTION = "section:"


def in_turn(choice: Choice) -> bool:
    """Return whether the members sound in turn; else their states leave as many sounding as the choice states.

    Left out, it is by turn where a member is a section (docs/reference/model.md, *Choices*).
    """
    if choice.by is UNSET:
        return any(member.startswith(SECTION) for member in choice.members)
    return choice.by == "turn"


def strips_of_member(template: Template, member: str) -> Iterator[str]:
    """Ids of a member's strips; of a section also those in sections inside it."""
    if member.startswith(SECTION):
        yield from (template.strips[number].id for number in sorted(select(template, (member,))))
    else:
        yield member.partition("/")[0]


def strips_in_choices(template: Template) -> set[str]:
    """Ids of all strips that choices are about."""
    members = {member for choice in template.choices for member in choice.members}
    return {strip for member in members for strip in strips_of_member(template, member)}


def members_and_their_strips(template: Template) -> set[str]:
    """Members of all choices, and the strips of those that are sections."""
    members = {member for choice in template.choices for member in choice.members}
    sections = [member for member in members if member.startswith(SECTION)]
    return members | {strip for member in sections for strip in strips_of_member(template, member)}


def without_members(choices: tuple[Choice, ...], gone: Collection[str]) -> tuple[Choice, ...]:
    """Choices without some members: ids of strips (their outlets go too), of outlets, or sections as “section:ID”."""
    return tuple(
        choice if len(kept) == len(choice.members) else replace(choice, members=kept)
        for choice in choices
        for kept in [tuple(m for m in choice.members if m not in gone and m.partition("/")[0] not in gone)]
    )
