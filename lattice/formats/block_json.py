"""A block's JSON form: its note, its open ends, and its template as a document."""

from __future__ import annotations

from typing import Any

import msgspec

from lattice.errors import DocumentError
from lattice.formats import document_json
from lattice.model import schema
from lattice.model.block import BLOCK_FORMAT, Block, OpenEnd


def to_plain(block: Block) -> dict[str, Any]:
    """Plain values, as edits and rows of a database hold them."""
    return {
        "format": BLOCK_FORMAT, "version": 1, "note": block.note,
        "ends": [document_json.to_plain(end) for end in block.ends],
        "template": document_json.to_plain(block.template),
    }  # fmt: skip


def dump(block: Block) -> bytes:
    """JSON, laid out for reading. `load` of it gives the same block again."""
    return msgspec.json.format(msgspec.json.encode(to_plain(block)), indent=2) + b"\n"


def load(data: bytes) -> Block:
    """The block in a file. Raises DocumentError with the errors, each with its place."""
    try:
        plain = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as wrong:
        raise DocumentError([str(wrong)]) from None
    return from_plain(plain)


def from_plain(plain: Any) -> Block:
    """The block that plain values say. Raises DocumentError."""
    if not isinstance(plain, dict) or plain.get("format") != BLOCK_FORMAT:
        raise DocumentError([f"this is not a block: its format is not {BLOCK_FORMAT}"])
    unknown = sorted(plain.keys() - {"format", "version", "note", "ends", "template"})
    if unknown or plain.get("version") != 1:
        raise DocumentError([f"unknown field {name}" for name in unknown] or ["version: only 1 is allowed"])
    ends = plain.get("ends", [])
    problems = list(schema.problems(ends, list[OpenEnd], "ends"))
    if problems or not isinstance(plain.get("note", ""), str):
        raise DocumentError(problems or ["note: is not text"])
    template = document_json.load(msgspec.json.encode(plain.get("template")))
    known = {strip.id for strip in template.strips}
    missing = [end["strip"] for end in ends if end["strip"] not in known]
    if missing:
        raise DocumentError([f"ends: strip {strip} does not exist" for strip in missing])
    made = Block(note=plain.get("note", ""), ends=msgspec.convert(ends, tuple[OpenEnd, ...]), template=template)
    if not made.strips:
        raise DocumentError(["a block needs at least one strip of its own"])
    return made
