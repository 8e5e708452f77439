"""A workbook to try *Import* with: Night Ferry's channel list as an assistant's spreadsheet, routed by bus names.

Forty rows, three of them unclear: an unknown kind of strip, a misspelt bus, and a level that is not a number.
"""

from __future__ import annotations

from io import BytesIO

import xlsxwriter

NAME = "Night Ferry, channel list.xlsx"
TITLE = "Night Ferry: channels, second draft"
HEADS = (
    "Track",
    "Type",
    "Format",
    "Group",
    "Input",
    "Output",
    "Send A",
    "Send A level",
    "Level",
    "Plug-ins",
    "Comments",
)
ROWS: tuple[tuple[str, ...], ...] = (
    ("Narration, English", "Audio track", "Mono", "Narration", "", "Narration bus", "Hall bus", "-18", "0", "De-esser; Comp", "booth one"),
    ("Narration, Tamil", "Audio track", "Mono", "Narration", "", "Narration bus", "Hall bus", "-18", "0", "De-esser; Comp", "booth two"),
    ("Narration spare", "Audio track", "Mono", "Narration", "", "Narration bus", "", "", "0", "", ""),
    ("Narration", "Aux", "Stereo", "Narration", "Narration bus", "Mix bus", "", "", "0", "Narration EQ", ""),
    ("Glass high", "Instrument", "Stereo", "Glass", "", "Glass bus", "Hall bus", "-12", "-3", "", ""),
    ("Glass middle", "Instrument", "Stereo", "Glass", "", "Glass bus", "Hall bus", "-12", "-3", "", ""),
    ("Glass low", "Instrument", "Stereo", "Glass", "", "Glass bus", "Hall bus", "-14", "-4.5", "", ""),
    ("Bowls", "Audio track", "Stereo", "Glass", "", "Glass bus", "Hall bus", "-9", "-6", "Low cut", "long tails"),
    ("Chimes", "Audio track", "Stereo", "Glass", "", "Glass bus", "Hall bus", "-9", "-6", "", ""),
    ("Glass", "Aux", "Stereo", "Glass", "Glass bus", "Music bus", "", "", "0", "", ""),
    ("Frame drum", "Audio track", "Mono", "Percussion", "", "Percussion bus", "Room bus", "-16", "0", "", ""),
    ("Frame drum far", "Audio track", "Stereo", "Percussion", "", "Percussion bus", "", "", "-8", "", ""),
    ("Shakers", "Audio track", "Mono", "Percussion", "", "Percussion bus", "Room bus", "-20", "-4", "", ""),
    ("Clay pots", "Audio track", "Stereo", "Percussion", "", "Percussion bus", "Room bus", "-18", "hot", "", "ask again"),
    ("Claps", "Audio track", "Stereo", "Percussion", "", "Percussion bus", "Room bus", "-14", "-2", "", ""),
    ("Percussion", "Aux", "Stereo", "Percussion", "Percussion bus", "Music bus", "", "", "0", "", ""),
    ("Choir long", "Live input", "Stereo", "Choir", "In 3-4", "Choir bus", "Hall bus", "-10", "0", "", "second machine"),
    ("Choir short", "Live input", "Stereo", "Choir", "In 5-6", "Choir bus", "Hall bus", "-14", "0", "", "second machine"),
    ("Choir", "Aux", "Stereo", "Choir", "Choir bus", "Music bus", "", "", "0", "", ""),
    ("Old synth", "Live input", "Mono", "Synths", "In 7", "Synth bus", "Room bus", "-18", "-3", "", ""),
    ("Pad, evening", "Instrument", "Stereo", "Synths", "", "Synth bus", "Hall bus", "-15", "-6", "", ""),
    ("Pulse", "Instrument", "Stereo", "Synths", "", "Synth bus", "", "", "-6", "", ""),
    ("Synths", "Aux", "Stereo", "Synths", "Synth bus", "Music bus", "", "", "0", "", ""),
    ("Shoreline north", "Audio track", "5.1", "Shoreline", "", "Shoreline bus", "", "", "-6", "", ""),
    ("Shoreline south", "Audio track", "5.1", "Shoreline", "", "Shorline bus", "", "", "-6", "", ""),
    ("Harbour", "Audio track", "5.1", "Shoreline", "", "Shoreline bus", "", "", "-9", "", ""),
    ("Engine room", "Audio track", "Stereo", "Shoreline", "", "Shoreline bus", "", "", "-12", "", ""),
    ("Shoreline", "Aux", "5.1", "Shoreline", "Shoreline bus", "Mix bus", "", "", "0", "", ""),
    ("Gangway", "Audio track", "Mono", "Effects", "", "Effects bus", "Room bus", "-16", "0", "", ""),
    ("Ropes", "Audio track", "Mono", "Effects", "", "Effects bus", "Room bus", "-16", "0", "", ""),
    ("Ship's bell", "Spot", "Mono", "Effects", "", "Effects bus", "Hall bus", "-9", "-3", "", ""),
    ("Star field", "Audio track", "5.1", "Effects", "", "Effects bus", "", "", "-8", "", ""),
    ("Effects", "Aux", "5.1", "Effects", "Effects bus", "Mix bus", "", "", "0", "", ""),
    ("Hall", "Aux", "Stereo", "Mix", "Hall bus", "Music bus", "", "", "0", "Long hall", "one hall for all"),
    ("Room", "Aux", "Stereo", "Mix", "Room bus", "Music bus", "", "", "0", "Small room", ""),
    ("Music", "Aux", "Stereo", "Mix", "Music bus", "Mix bus", "", "", "0", "", ""),
    ("Click", "Audio track", "Mono", "Mix", "", "Out 7-8", "", "", "-6", "", "never in the mix"),
    ("Group faders", "VCA", "", "Mix", "", "", "", "", "0", "", ""),
    ("Mix", "Master", "5.1", "Mix", "Mix bus", "Out 1-6", "", "", "0", "limiter ceiling -1 = Mix limiter", ""),
    ("Mix print", "Print", "5.1", "Mix", "Mix bus", "", "", "", "0", "", ""),
)  # fmt: skip


def sample_workbook() -> bytes:
    """The workbook: a title, an empty row, the heads, the rows, and a sheet of something else."""
    out = BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        bold = book.add_format({"bold": True})
        channels = book.add_worksheet("Channels")
        channels.write(0, 0, TITLE, bold)
        channels.write_row(2, 0, HEADS, bold)
        channels.freeze_panes(3, 1)
        for number, row in enumerate(ROWS, start=3):
            channels.write_row(number, 0, [_number(cell) for cell in row])
        channels.autofit()
        notes = book.add_worksheet("Notes")
        notes.write_column(0, 0, ("Buses are named as in the rack.", "Levels are from the first run-through."))
    return out.getvalue()


def _number(cell: str) -> str | float:
    """Numbers as numbers, as people type them."""
    try:
        return float(cell)
    except ValueError:
        return cell
