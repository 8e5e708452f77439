"""The demo's bench: a kit of the clean revision, one reading that is clean and one with five faults."""

from __future__ import annotations

from web.bench import services
from web.bench.models import Reading
from web.bench.tasks import read_prints_of
from web.shelf.models import StoredTemplate

TAIL_MS = 200.0
SOURCES = ("section:narration", "strip:choir-player", "section:ambience", "section:effects", "strip:sync-pop")
# A fader that slipped, a microphone turned over, a send left on, a late bus, and a print with a start of its own.
FAULTS = (
    "fader:choir-bus:+3", "polarity:narration-en", "feed:bells:narration-bus", "late:ambience-bus:64",
    "late-print:st-echoes:441",
)  # fmt: skip


def with_readings(stored: StoredTemplate) -> None:
    """Reads the simulated session twice, directly and without files: first as mapped, then with its faults."""
    kit = services.make_kit(stored, SOURCES, TAIL_MS)
    for faults in ((), FAULTS):
        reading = Reading.objects.create(kit=kit, stand_in=list(faults))
        read_prints_of.call_local(reading.pk)
