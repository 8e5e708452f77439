"""What a reading may find: codes, severities, and what there is to know of each."""

from __future__ import annotations

from lattice.checks.finding import Severity

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
