"""Reading what somebody brings: a document, a track sheet, a pasted list; what was understood and what not."""

from __future__ import annotations

from dataclasses import dataclass, field

from lattice.errors import DocumentError, first_problems
from lattice.formats import document_json, track_sheet
from lattice.formats.registry import looks_like_document
from lattice.model.document import Template

MAX_BYTES = document_json.MAX_BYTES


@dataclass
class Read:
    """A template where one could be made, and the problems found: fatal ones leave none."""

    template: Template | None
    problems: list[str] = field(default_factory=list)
    form: str = ""
    guessed: dict[str, str] = field(default_factory=dict)


def read(data: bytes, name: str) -> Read:
    """What `data` says, whatever its form. Never raises for bad input."""
    try:
        if looks_like_document(data):
            return Read(document_json.load(data), form="document")
        sheet = track_sheet.read_sheet(data, name)
        said = first_problems(map(str, sheet.problems))
        return Read(sheet.template if sheet.template.strips else None, said, "track sheet", sheet.guessed)
    except DocumentError as error:
        return Read(None, list(error.problems))
