"""Broadcast Wave files: 24-bit WAV with the chunk for the timeline position of a file (EBU Tech 3285)."""

from __future__ import annotations

import struct

import numpy as np

from lattice.bench.render.lines import Block

FULL_SCALE = 1 << 23


def broadcast_wave(samples: Block, rate_hz: int, time_reference: int, description: str) -> bytes:
    """A file.

    Parameters
    ----------
    samples
        (channels, samples), ±1.
    rate_hz
        Sample rate.
    time_reference
        Samples since midnight at which it begins.
    description
        At most 256 characters. Characters outside ASCII are left out, as the chunk allows ASCII only.

    Returns
    -------
    bytes
        RIFF WAVE with `bext` (version 1), `fmt ` and `data`.
    """
    channels = len(samples)
    whole = np.clip(np.rint(samples.T * FULL_SCALE), -FULL_SCALE, FULL_SCALE - 1).astype("<i4")
    data = np.ascontiguousarray(whole.reshape(-1, 1)).view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
    text = description.encode("ascii", "ignore")[:256]
    # Description, originator and its reference, date, time, time reference low and high, version, UMID, reserved.
    extension = struct.pack("<256s32s32s10s8sIIH64s190s", text, b"Intact Lattice", b"", b"", b"",
                            time_reference & 0xFFFFFFFF, time_reference >> 32, 1, b"", b"")  # fmt: skip
    form = struct.pack("<HHIIHH", 1, channels, rate_hz, rate_hz * channels * 3, channels * 3, 24)
    body = b"WAVE" + _chunk(b"bext", extension) + _chunk(b"fmt ", form) + _chunk(b"data", data)
    return b"RIFF" + struct.pack("<I", len(body)) + body


def _chunk(name: bytes, data: bytes) -> bytes:
    return name + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2)
