"""Commands that change templates: the edits of the registry, listed and made by name."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from lattice.cli.files import put, read, write_json

if TYPE_CHECKING:
    from lattice.cli import AddCommand


def add(command: AddCommand) -> None:
    """Adds its commands."""
    listed = command("edits", _edits, "list every edit with its arguments", file=False)
    listed.add_argument("--json", action="store_true", help="types, ranges, options and defaults as JSON")
    edit = command("edit", _edit, "apply one edit to a template")
    edit.add_argument("name", metavar="NAME", help="name of the edit; `lattice edits` lists them")
    edit.add_argument(
        "words", metavar="field=value", nargs="*", help="values as typed on screen; items by ID or unique name"
    )
    edit.add_argument("-o", dest="out", metavar="OUT", default="-", help="output file; default: standard output")


def _edits(options: argparse.Namespace) -> int:
    from lattice.edits import EDITS
    from lattice.edits.typed import described

    edits = [described(EDITS[name]) for name in sorted(EDITS)]
    if options.json:
        write_json({"format": "intact-lattice.edits", "version": 1, "edits": edits})
        return 0
    for edit in edits:
        taken = " ".join(_shown(argument) for argument in edit["arguments"])
        print(f"{edit['name']} {taken}".rstrip())
        print(f"    {edit['does']}")
    return 0


def _shown(argument: dict[str, object]) -> str:
    """“strips=…”, in brackets where it may be left out."""
    fields = argument.get("fields")
    words = f"{{{','.join(fields)}}}=…" if isinstance(fields, dict) else f"{argument['name']}=…"
    return words if argument["required"] else f"[{words}]"


def _edit(options: argparse.Namespace) -> int:
    from lattice.edits import apply_steps, edit_named
    from lattice.edits.typed import typed
    from lattice.formats.document_json import dump

    template = read(options.file)
    step = typed(template, options.name, options.words)
    after = apply_steps(template, [step])
    put(options.out, dump(after))
    if options.out != "-":
        print(edit_named(step.edit).words(template, step.arguments))
    return 0
