"""What a writer is, and what most of them do: change or remove one piece that the form names."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import QueryDict

from lattice.model.document import Template
from lattice.model.edit_step import EditStep
from web.editor.fields import Reader, changes_of, named, one, words_of

Written = tuple[str, list[EditStep]]  # the journal's words, and the edits
Writer = Callable[[QueryDict, Template], Written]


def changed_piece(data: QueryDict, template: Template, word: str, fields: dict[str, Reader], name: str = "") -> Written:
    """`change_<word>` of the piece that the form names in `name` (the word itself where it is not given)."""
    piece = _piece(data, template, word, name)
    changes = changes_of(data, fields, template)
    return f"{piece.name}: {words_of(changes)}", [EditStep(f"change_{word}", {word: piece.id, "changes": changes})]


def removed_piece(data: QueryDict, template: Template, word: str, said: str, name: str = "") -> Written:
    """`remove_<word>s` of one piece; `said`: what the journal says before its name."""
    piece = _piece(data, template, word, name)
    return f"{said} {piece.name}", [EditStep(f"remove_{word}s", {f"{word}s": [piece.id]})]


def _piece(data: QueryDict, template: Template, word: str, name: str) -> Any:
    return named(getattr(template, f"{word}s"), one(data, name or word), word)
