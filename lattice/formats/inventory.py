"""Inventories as CSV (a row a plug-in or channel) or JSON: bytes ↔ model."""

from __future__ import annotations

import csv
import io

import msgspec

from lattice.errors import DocumentError, Problem
from lattice.model.inventory import Inventory, PlugIn

COLUMNS = ("what", "maker", "name", "version", "channel")
KINDS = ("plug-in", "input", "output")
MAX_BYTES = 4 * 1024 * 1024
MAX_ROWS = 20_000


def load(data: bytes, name: str = "Inventory") -> Inventory:
    """The inventory in `data`. Raises DocumentError with every problem found, each with its row or place.

    CSV: a header row with `name` and any of the other columns; `what` is plug-in (also where it is missing), input
    or output, and an input or output has its number in `channel`.
    """
    if len(data) > MAX_BYTES:
        raise DocumentError([f"the inventory has {len(data) / 1024 / 1024:.0f} MiB; at most 4 are allowed"])
    text = data.removeprefix(b"\xef\xbb\xbf")
    if text.lstrip().startswith(b"{"):
        try:
            return msgspec.json.decode(text, type=Inventory)
        except msgspec.DecodeError as wrong:
            raise DocumentError([str(wrong)]) from None
    try:
        return _from_rows(text.decode("utf-8"), name)
    except UnicodeDecodeError:
        raise DocumentError(["the inventory is no UTF-8 text"]) from None


def _from_rows(text: str, name: str) -> Inventory:
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=delimiter, strict=True))
    except csv.Error as wrong:
        raise DocumentError([f"the inventory is no CSV: {wrong}"]) from None
    if not rows or not any(rows[0]):
        raise DocumentError(["the inventory is empty; its first row names the columns: " + ", ".join(COLUMNS)])
    header = [column.strip().lower() for column in rows[0]]
    unknown = [column for column in header if column and column not in COLUMNS]
    if unknown or "name" not in header:
        said = f"unknown columns {', '.join(unknown)}" if unknown else "the column name is missing"
        raise DocumentError([f"row 1: {said}; known are {', '.join(COLUMNS)}"])
    if len(rows) > MAX_ROWS:
        raise DocumentError([f"{len(rows)} rows; at most {MAX_ROWS} are allowed"])
    return _collected(header, rows[1:], name)


def _collected(header: list[str], rows: list[list[str]], name: str) -> Inventory:
    problems: list[Problem] = []
    plugins: list[PlugIn] = []
    channels: dict[str, dict[str, str]] = {"input": {}, "output": {}}
    for number, row in enumerate(rows, start=2):
        if not any(cell.strip() for cell in row):
            continue
        cells = dict(zip(header, (cell.strip() for cell in row), strict=False))
        what, named = cells.get("what", "").lower() or "plug-in", cells.get("name", "")
        if what not in KINDS:
            problems.append(Problem.at(f"row {number}", f"{what} is not one of {', '.join(KINDS)}"))
        elif not named or len(named) > 120:
            problems.append(Problem.at(f"row {number}", "a name has 1 to 120 characters"))
        elif what == "plug-in":
            plugins.append(
                PlugIn(name=named, maker=cells.get("maker", "")[:120], version=cells.get("version", "")[:60])
            )
        elif not cells.get("channel", "").isdecimal() or int(cells["channel"]) < 1:
            problems.append(Problem.at(f"row {number}", f"an {what} needs its number, from 1, in the column channel"))
        else:
            channels[what][str(int(cells["channel"]))] = named
    if problems:
        raise DocumentError(problems)
    return Inventory(
        name=name, plugins=tuple(plugins), input_names=channels["input"], output_names=channels["output"]
    )  # fmt: skip


def dump(inventory: Inventory) -> bytes:
    """The inventory as CSV; `load` of it gives the same plug-ins and channels again."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for plugin in inventory.plugins:
        writer.writerow(("plug-in", plugin.maker, plugin.name, plugin.version, ""))
    for what, names in (("input", inventory.input_names), ("output", inventory.output_names)):
        for channel, name in sorted(names.items(), key=lambda entry: int(entry[0])):
            writer.writerow((what, "", name, "", channel))
    return text.getvalue().encode()
