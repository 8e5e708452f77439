"""Inventories as CSV (a row a plug-in or channel) or JSON: bytes ↔ model."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from lattice.errors import DocumentError, Problem, first_problems
from lattice.formats import table
from lattice.formats.control_characters import CONTROL, control_problems
from lattice.formats.tables.books import read_book
from lattice.formats.tables.workbooks import COMPOUND, ZIP
from lattice.model.inventory import Inventory, PlugIn
from lattice.model.units import parse_whole

COLUMNS = ("what", "maker", "name", "version", "channel", "latency_samples", "rate_hz")
KINDS = ("plug-in", "input", "output")
# A studio has hundreds of plug-ins, not tens of thousands.
MAX_BYTES = 4 * 1024 * 1024
MAX_ROWS = 20_000
MOST_CHANNELS = 1024
LONGEST_NAME = 120


def load(data: bytes, name: str = "Inventory") -> Inventory:
    """The inventory in a file.

    Parameters
    ----------
    data
        JSON, or a table (CSV, XLSX, ODS) with a header row. `name` is required. Optional: `what` (plug-in, input or
        output; plug-in by default), `maker`, `version`, `latency_samples` and the `rate_hz` it holds at, and `channel`
        for the number of an input or output.
    name
        Its name where the file has none.

    Raises
    ------
    DocumentError
        With every problem found, each with its row or place.
    """
    if len(data) > MAX_BYTES:
        raise DocumentError([f"the inventory has {len(data) / 1024 / 1024:.0f} MiB; at most 4 are allowed"])
    if data.startswith((ZIP, COMPOUND)):
        return _from_lines(read_book(data).parts[0].lines, name)
    text = data.removeprefix(b"\xef\xbb\xbf")
    if not text.lstrip().startswith(b"{"):
        return _from_lines(table.rows(table.decode(text), MAX_ROWS), name)
    try:
        inventory = msgspec.json.decode(text, type=Inventory)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as wrong:
        raise DocumentError([str(wrong)]) from None
    problems = [*control_problems(msgspec.to_builtins(inventory)), *_channel_problems(inventory)]
    if problems:
        raise DocumentError(first_problems(problems))
    return inventory


def _channel_problems(inventory: Inventory) -> Iterator[Problem]:
    """Channels are numbered from 1, and have names."""
    for side in ("input_names", "output_names"):
        for channel, named in getattr(inventory, side).items():
            if not _is_channel(channel):
                yield Problem.at(f"{side}.{channel}", f"{channel} is not a number of a channel, 1 to {MOST_CHANNELS}")
            if not 1 <= len(named) <= LONGEST_NAME:
                yield Problem.at(f"{side}.{channel}", f"a name has 1 to {LONGEST_NAME} characters")


def _is_channel(text: str) -> bool:
    return text.isascii() and text.isdecimal() and len(text) < 6 and 1 <= int(text) <= MOST_CHANNELS


def _from_lines(lines: list[table.Line], name: str) -> Inventory:
    if not lines:
        raise DocumentError(["the inventory is empty; its first row names the columns: " + ", ".join(COLUMNS)])
    first, heads = lines[0]
    header = [column.lower().replace(" ", "_") for column in heads]
    unknown = [column for column in header if column and column not in COLUMNS]
    if unknown or "name" not in header:
        said = f"unknown columns {', '.join(unknown[:12])}" if unknown else "the column name is missing"
        raise DocumentError([f"row {first}: {said}; use {', '.join(COLUMNS)}"])
    return _collected(header, lines[1:], name)


def _collected(header: list[str], lines: list[table.Line], name: str) -> Inventory:
    problems: list[Problem] = []
    plugins: list[PlugIn] = []
    channels: dict[str, dict[str, str]] = {"input": {}, "output": {}}
    for row_number, row in lines:
        cells = dict(zip(header, row, strict=False))
        what, named = cells.get("what", "").lower() or "plug-in", cells.get("name", "")
        if what not in KINDS:
            problems.append(Problem.at(f"row {row_number}", f"{what} is not one of {', '.join(KINDS)}"))
        elif not 1 <= len(named) <= LONGEST_NAME:
            problems.append(Problem.at(f"row {row_number}", f"a name has 1 to {LONGEST_NAME} characters"))
        elif any(map(CONTROL.search, row)):
            problems.append(Problem.at(f"row {row_number}", "contains a control character"))
        elif what == "plug-in":
            try:
                plugins.append(_plugin(cells))
            except ValueError as wrong:
                problems.append(Problem.at(f"row {row_number}", str(wrong)))
        elif not _is_channel(cells.get("channel", "")):
            sentence = f"an {what} needs its number, 1 to {MOST_CHANNELS}, in the column channel"
            problems.append(Problem.at(f"row {row_number}", sentence))
        else:
            channels[what][str(int(cells["channel"]))] = named
    if problems:
        raise DocumentError(first_problems(problems))
    return Inventory(
        name=name, plugins=tuple(plugins), input_names=channels["input"], output_names=channels["output"]
    )  # fmt: skip


def _plugin(cells: dict[str, str]) -> PlugIn:
    """A plug-in of a row whose name is good. Raises ValueError with a sentence."""
    numbers: dict[str, int | None] = {}
    for column, low, high in (("latency_samples", 0, 1_000_000_000), ("rate_hz", 8000, 768_000)):
        text = cells.get(column, "")
        numbers[column] = parse_whole(text) if text else None
        if text and not low <= (numbers[column] or 0) <= high:
            raise ValueError(f"{column}: {text} is not {low} to {high}")
    return PlugIn(
        name=cells["name"], maker=cells.get("maker", "")[:120], version=cells.get("version", "")[:60], **numbers
    )


def dump(inventory: Inventory) -> bytes:
    """The inventory as CSV; `load` of it gives the same plug-ins and channels again."""
    lines: list[tuple[str, ...]] = [COLUMNS]
    for plugin in inventory.plugins:
        numbers = ("" if number is None else str(number) for number in (plugin.latency_samples, plugin.rate_hz))
        lines.append(("plug-in", plugin.maker, plugin.name, plugin.version, "", *numbers))
    for what, names in (("input", inventory.input_names), ("output", inventory.output_names)):
        lines += [(what, "", name, "", channel, "", "") for channel, name in sorted(names.items(), key=_number)]
    return table.write(lines)


def _number(entry: tuple[str, str]) -> int:
    """Of a channel and its name; texts without a number are last."""
    return int(entry[0]) if _is_channel(entry[0]) else MOST_CHANNELS + 1
