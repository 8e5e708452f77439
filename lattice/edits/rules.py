"""Edits of rules: promises about paths."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.pieces import all_known, changed, made, position, put
from lattice.model.document import Rule, Template
from lattice.model.names import free_id, slug


def add_rule(template: Template, rule: dict[str, Any]) -> Template:
    """A rule written down; it gets an id where it has none."""
    taken = {known.id for known in template.rules}
    new = made(Rule, {"id": free_id(slug(rule.get("name", "")), taken), **rule})
    return replace(template, rules=(*template.rules, new))


def change_rule(template: Template, rule: str, changes: dict[str, Any]) -> Template:
    """One rule with some fields changed."""
    at = position(template.rules, rule, "rule")
    return replace(template, rules=put(template.rules, at, changed(template.rules[at], changes)))


def remove_rules(template: Template, rules: list[str]) -> Template:
    """Without some rules."""
    gone = all_known(template.rules, rules, "rule")
    return replace(template, rules=tuple(rule for rule in template.rules if rule.id not in gone))
