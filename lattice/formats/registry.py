"""Open forms a template is read from and written in, by name: the one list that command line and web offer.

Modules are imported where they are used: a command that reads JSON starts without the parts that read sheets.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePath

from lattice.model.document import Template


@dataclass(frozen=True)
class Format:
    """One format: its name in `--to` and in addresses, and the ending of its files."""

    name: str
    media_type: str
    write: Callable[[Template], bytes]
    read: Callable[[bytes, str], Template] | None = None  # bytes, and a name for templates without one
    endings: tuple[str, ...] = ()  # of files that are read as this form whatever they begin with


def _read_json(data: bytes, _name: str) -> Template:
    from lattice.formats import document_json

    return document_json.load(data)


def _write_json(template: Template) -> bytes:
    from lattice.formats import document_json

    return document_json.dump(template)


def _read_sheet(data: bytes, name: str) -> Template:
    from lattice.formats import any_table

    return any_table.load(data, name)


def _write_sheet(template: Template) -> bytes:
    from lattice.formats import track_sheet_writer

    return track_sheet_writer.dump(template)


def _write_graphml(template: Template) -> bytes:
    from lattice.formats import graph_forms

    return graph_forms.graphml(template)


def _write_dot(template: Template) -> bytes:
    from lattice.formats import graph_forms

    return graph_forms.dot(template)


WORKBOOKS = (".xlsx", ".xlsm", ".ods")
JSON = Format("json", "application/json", _write_json, _read_json, (".json",))
SHEET = Format("csv", "text/csv; charset=utf-8", _write_sheet, _read_sheet, (".csv", ".tsv", ".txt", *WORKBOOKS))
FORMATS: dict[str, Format] = {
    form.name: form
    for form in (
        JSON,
        SHEET,
        Format("graphml", "application/xml", _write_graphml),
        Format("dot", "text/vnd.graphviz", _write_dot),
    )
}


def looks_like_document(data: bytes) -> bool:
    """Return whether a file is JSON by its first sign."""
    from lattice.formats.document_json import UTF8_BOM

    return data[:200].removeprefix(UTF8_BOM).lstrip().startswith((b"{", b"["))


def read(data: bytes, name: str = "-") -> Template:
    """A template from bytes.

    Parameters
    ----------
    data
        The whole file.
    name
        Its file name, whose ending gives the format; `-` for standard input, where the first character does.

    Raises
    ------
    DocumentError
        With every problem, by its place.
    """
    for form in FORMATS.values():
        if form.read is not None and name.lower().endswith(form.endings):
            return form.read(data, PurePath(name).stem)
    if name == "-" and data.strip() and not looks_like_document(data):
        return _read_sheet(data, "Track sheet")
    return _read_json(data, name)
