"""Edits of rules: promises about paths."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from lattice.edits.arguments import Fields, Piece, Pieces, Text
from lattice.edits.described import edit
from lattice.edits.pieces import all_known, changed, made, position, put
from lattice.model.document import Rule, Template
from lattice.model.names import free_id, slug


@edit(
    Fields("rule", piece=Rule),
    Text("but_not", default=""),
    says=lambda _template, said: f"Rule: {said['rule'].get('name') or 'Promise'}",
)
def add_rule(template: Template, rule: dict[str, Any], but_not: str = "") -> Template:
    """A rule written down, `but_not` one selector of its sources; it gets an id and a name where it has none."""
    rule = {**rule, "name": rule.get("name") or "Promise"}
    taken = {known.id for known in template.rules}
    new = made(Rule, {"id": free_id(slug(str(rule["name"])), taken), **rule})
    if but_not:
        new = replace(new, sources=(*new.sources, f"!{but_not}"))
    return replace(template, rules=(*template.rules, new))


@edit(Piece("rule", kind="rule"), Fields("changes", piece=Rule), says="{rule}: {changes}")
def change_rule(template: Template, rule: str, changes: dict[str, Any]) -> Template:
    """One rule with some fields changed."""
    at = position(template.rules, rule, "rule")
    return replace(template, rules=put(template.rules, at, changed(template.rules[at], changes)))


@edit(Pieces("rules", kind="rule"), says="Remove rule {rules}")
def remove_rules(template: Template, rules: list[str]) -> Template:
    """Without some rules."""
    gone = all_known(template.rules, rules, "rule")
    return replace(template, rules=tuple(rule for rule in template.rules if rule.id not in gone))
