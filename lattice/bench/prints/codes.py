"""What a reading may find: codes, severities, and what there is to know of each."""

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
    "Prints of the pilot kit are read by correlation with the burst in each slot; what is expected is what the same "
    "reading finds in the model's own rendering of the kit."
)

explain(
    "asbuilt.missing",
    many="{n} sources are not in prints that they are mapped to",
    found="A source that is expected in a print is not in it.",
    why="The stem or mix that is delivered lacks it, and nobody hears that before the session is opened elsewhere.",
    how=f"{HOW} Present is what is louder than −80 dB; between −80 and −74 nothing is said.",
    fix="Open what is named as suspect in the session: a route that is off, a mute, another destination.",
)
explain(
    "asbuilt.unexpected",
    many="{n} sources are in prints that they should not be in",
    found="A source is in a print in which it is not expected: a click in a stem, a leak.",
    why="Stems do not add up, and what must not be delivered is.",
    how=HOW,
    fix="Look for a feed or a send that the map does not have, or for one that the map has closed.",
)
explain(
    "asbuilt.level",
    many="{n} sources are at another level than mapped",
    found="A source is at another level in a print than mapped, by more than 0.5 dB.",
    why="The balance that was signed is not the one that is printed.",
    how=f"{HOW} Compared is the gain of the burst where it is heard itself, and that of the energy of the whole slot.",
    fix="Compare fader, route gain and inserts of the suspect with the map; correct whichever is wrong.",
)
explain(
    "asbuilt.delay",
    many="{n} sources come at another time than mapped",
    found="A source comes earlier or later in a print than mapped; the print's own offset is taken off before.",
    why="What comes late beside itself combs, and stems slip against each other.",
    how=f"{HOW} Delays are exact to the sample; onsets of notes to half a millisecond.",
    fix="Measure the latency of the inserts on the suspect, and put it into the map where the host does not know it.",
)
explain(
    "asbuilt.polarity",
    many="{n} sources are upside down",
    found="A source is upside down in a print.",
    why="Where it meets itself or a close microphone, it cancels.",
    how=f"{HOW} The sign is that of the correlation; of notes it is not known.",
    fix="Look for a polarity switch, or a cable, on the suspect.",
)
explain(
    "asbuilt.channels",
    many="{n} sources are on other channels than mapped",
    found="A source is on other channels of a print than mapped: swapped, or one side is missing.",
    why="The picture is turned round, or one-sided, in all that is delivered.",
    how=f"{HOW} It takes the place of missing, unexpected and level of that source in that print.",
    fix="Compare the channel assignment of the suspect, its panner and its routes with the map.",
)
explain(
    OFFSET,
    many="{n} prints begin at another time than the others",
    found="A print begins earlier or later than most prints of its set.",
    why="Stems that are laid side by side do not line up.",
    how="A print's offset is the delay that most of its slots agree on, less what the model expects of them.",
    fix="Print again from the same start, or look for a latency on the way to that print alone.",
)
explain(
    SILENT,
    many="{n} prints are silent",
    found="Nothing of any slot is in a print of which something is expected.",
    why="An empty file is delivered.",
    how=f"{HOW} It takes the place of what is missing in that print.",
    fix="Look whether the print is armed, fed, and printed from the right place.",
)
explain(
    UNREAD,
    many="{n} prints were not read",
    found="A stem with a print has no file, or a file could not be used.",
    why="Nothing is known of that stem.",
    how="Files are matched by the name or id of the stem or of its print strip.",
    fix="Print it, name it after its stem, or say by hand which stem a file is of.",
)
