"""Timecode of places on the timeline (SMPTE ST 12-1): labels of frames, with and without drop."""

from __future__ import annotations

from fractions import Fraction

from lattice.model.document import Template

# Frame rate → frames in a labelled second, and real frames a second.
RATES: dict[str, tuple[int, Fraction]] = {
    "23.976": (24, Fraction(24000, 1001)), "24": (24, Fraction(24)), "25": (25, Fraction(25)),
    "29.97": (30, Fraction(30000, 1001)), "29.97df": (30, Fraction(30000, 1001)), "30": (30, Fraction(30)),
}  # fmt: skip


def frames_of(label: str, rate: str) -> int:
    """Frames from 00:00:00:00 to a label. Drop-frame counts leave out two labels each minute but every tenth."""
    hours, minutes, seconds, frames = (int(part) for part in label.replace(";", ":").split(":"))
    base = RATES[rate][0]
    count = ((hours * 60 + minutes) * 60 + seconds) * base + frames
    if rate.endswith("df"):
        whole = hours * 60 + minutes
        count -= 2 * (whole - whole // 10)
    return count


def label_of(frames: int, rate: str) -> str:
    """The label of a frame."""
    base = RATES[rate][0]
    if rate.endswith("df"):
        tens, rest = divmod(frames, 17982)  # frames in ten minutes
        frames += 18 * tens + (2 * ((rest - 2) // 1798) if rest > 1 else 0)
    seconds, frame = divmod(frames, base)
    hours, seconds = divmod(seconds, 3600)
    mark = ";" if rate.endswith("df") else ":"
    return f"{hours % 24:02d}:{seconds // 60:02d}:{seconds % 60:02d}{mark}{frame:02d}"


def samples_before(template: Template) -> int:
    """Samples from midnight to the beginning of the timeline; 0 where it has no start or no frame rate."""
    start, rate = template.timeline.start_timecode, template.frame_rate
    if start is None or rate is None:
        return 0
    return round(frames_of(start, rate) / RATES[rate][1] * template.sample_rate_hz)


def at_timecode(template: Template, samples: int) -> str:
    """The label of a place on the timeline; hours, minutes, seconds and ms where the template has no frame rate."""
    rate = template.frame_rate
    whole = samples_before(template) + samples
    if rate is None:
        ms = whole * 1000 // template.sample_rate_hz
        seconds = ms // 1000
        return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}.{ms % 1000:03d}"
    return label_of(int(Fraction(whole, template.sample_rate_hz) * RATES[rate][1]), rate)
