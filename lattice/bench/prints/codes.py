"""Codes of a reading, with their severities and explanations."""

from __future__ import annotations

from lattice.checks.finding import Severity
from lattice.checks.registry import explain

OFFSET, SILENT, UNREAD = "asbuilt.offset", "asbuilt.silent", "asbuilt.unread"
SEVERITY: dict[str, Severity] = {
    "asbuilt.missing": "blocker",
    "asbuilt.unexpected": "blocker",
    "asbuilt.level": "warning",
    "asbuilt.delay": "warning",
    "asbuilt.polarity": "blocker",
    "asbuilt.channels": "blocker",
    OFFSET: "warning",
    SILENT: "blocker",
    UNREAD: "warning",
}

HOW = (
    "Prints of the pilot kit are read by correlation with the burst in each slot. Expected values come from the same "
    "reading of a rendering of the map."
)

explain(
    "asbuilt.missing",
    many="{n} sources are missing from prints",
    found="A source mapped to a print is not in it.",
    why="The delivered stem lacks it, unnoticed until opened elsewhere.",
    how=f"{HOW} A source is present above −80 dB. Between −80 and −74 dB nothing is reported.",
    fix="Check the suspect in the session: a disabled route, a mute, or a wrong destination.",
)
explain(
    "asbuilt.unexpected",
    many="{n} sources are in prints without being mapped",
    found="A source is in a print that it is not mapped to, for example a click in a stem.",
    why="The stems do not sum to the mix, or unwanted signal is delivered.",
    how=HOW,
    fix="Check for a feed or send that is missing or disabled on the map.",
)
explain(
    "asbuilt.level",
    many="{n} sources differ in level from the map",
    found="The level of a source in a print differs from the map by more than 0.5 dB.",
    why="The printed balance is not the approved one.",
    how=f"{HOW} The gain of the burst is compared if the burst is present, and the energy of the whole slot.",
    fix="Compare the fader, route gain and inserts of the suspect with the map. Correct the wrong one.",
)
explain(
    "asbuilt.delay",
    many="{n} sources differ in time from the map",
    found="A source is earlier or later in a print than mapped. The offset of the print is subtracted first.",
    why="A late copy combs, and stems are misaligned.",
    how=f"{HOW} Delays are exact to the sample, onsets of notes to 0.5 ms.",
    fix="Measure the latency of the inserts on the suspect, and enter it on the map.",
)
explain(
    "asbuilt.polarity",
    many="{n} sources have inverted polarity",
    found="The polarity of a source in a print is inverted.",
    why="It cancels with its copies and with close microphones.",
    how=f"{HOW} The polarity is the sign of the correlation. For notes it is unknown.",
    fix="Check for a polarity switch or a cable on the suspect.",
)
explain(
    "asbuilt.channels",
    many="{n} sources are on different channels than mapped",
    found="A source is on different channels of a print than mapped: swapped, or one side is missing.",
    why="The stereo image is reversed or one-sided in every delivery.",
    how=f"{HOW} It replaces the findings missing, unexpected and level of this source in this print.",
    fix="Compare the channel assignment of the suspect, its panner and its routes with the map.",
)
explain(
    OFFSET,
    many="{n} prints start at a different time",
    found="A print starts earlier or later than most prints of its set.",
    why="The stems do not align side by side.",
    how="The offset of a print is the delay shared by most of its slots, minus the expected delay.",
    fix="Print again from the same start, or check for latency on the path to this print.",
)
explain(
    SILENT,
    many="{n} prints are silent",
    found="A print contains no signal in any slot, though some is expected.",
    why="An empty file is delivered.",
    how=f"{HOW} It replaces all missing findings of this print.",
    fix="Check the record arming, the feed and the source of the print.",
)
explain(
    UNREAD,
    many="{n} prints were not read",
    found="A stem with a print has no file, or its file could not be used.",
    why="The stem is unchecked.",
    how="Files are matched by the name or ID of the stem or its print strip.",
    fix="Print it, name the file after the stem, or assign the file by hand.",
)
