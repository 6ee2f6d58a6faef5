"""The header of a WAV that never ends: 32-bit floats, its sizes as large as they can be."""

from __future__ import annotations

import struct

HEADER_BYTES = 44


def endless_header(channels: int, rate: int) -> bytes:
    """channels, samples a second; the frames follow, interleaved."""
    endless = struct.pack("<I", 0xFFFFFFFF)
    form = struct.pack("<IHHIIHH", 16, 3, channels, rate, 4 * rate * channels, 4 * channels, 32)
    return b"RIFF" + endless + b"WAVEfmt " + form + b"data" + endless
