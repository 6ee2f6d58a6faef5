"""A tuning as a bulk dump of the MIDI Tuning Standard, read and written.

408 bytes: F0 7E device 08 01 program, a name of 16 characters, three bytes for each of the 128 notes, a checksum,
F7.  The three are the semitone below and the fraction above it in 1/16384; 7F 7F 7F leaves a note as it is.  The
checksum is the exclusive or of all between F0 and itself.  Source: MIDI Tuning Standard (MMA CA-020/CA-021 and
RP-020; from memory).
"""

from __future__ import annotations

import math
from functools import reduce
from pathlib import Path
from typing import Final

import numpy as np

from dynamis.errors import InputError
from dynamis.files.text import read_bytes
from dynamis.pitch.key_tuning import KEYS, KeyTuning
from dynamis.pitch.tuning import EqualTemperament, Tuning

LENGTH: Final = 408
_HEAD: Final = {0: 0xF0, 1: 0x7E, 3: 0x08, 4: 0x01}
_NAME: Final = slice(6, 22)
_FIRST: Final = 22
_FRACTIONS: Final = 16384
_LEAVE: Final = b"\x7f\x7f\x7f"
_MOST_BYTES: Final = 64 * 1024


def read_tuning_dump(path: Path) -> tuple[str, KeyTuning]:
    """Name and tuning of a dump; raises `InputError` naming the byte, what was found and what was expected."""
    data = read_bytes(path, _MOST_BYTES)
    if len(data) != LENGTH:
        raise InputError(f"{path}: {len(data)} bytes were found; a tuning dump has {LENGTH}.")
    for at, wanted in {**_HEAD, LENGTH - 1: 0xF7}.items():
        if data[at] != wanted:
            raise InputError(f"{path}: byte {at}: {data[at]:02X} was found; {wanted:02X} was expected.")
    high = next((k for k in range(1, LENGTH - 1) if data[k] > 0x7F), None)
    if high is not None:
        raise InputError(f"{path}: byte {high}: {data[high]:02X} was found; 00 to 7F was expected.")
    given, wanted = data[LENGTH - 2], checksum(data[1 : LENGTH - 2])
    if given != wanted:
        raise InputError(f"{path}: byte {LENGTH - 2}: the checksum {given:02X} was found; {wanted:02X} was expected.")
    equal, keys = EqualTemperament(), []
    for note in range(KEYS):
        three = data[_FIRST + 3 * note : _FIRST + 3 * note + 3]
        semitones = float(note) if three == _LEAVE else three[0] + (three[1] * 128 + three[2]) / _FRACTIONS
        keys.append(float(equal.hertz(semitones)))
    name = "".join(chr(one) for one in data[_NAME] if 32 <= one < 127).strip()
    return name, KeyTuning(tuple(keys))


def tuning_dump(tuning: Tuning, name: str, *, device: int = 0x7F, program: int = 0) -> bytes:
    """The dump of a tuning; a key that plays nothing, or lies outside what a dump can say, is left as it is.

    name : the first 16 characters count, others than ASCII as question marks.
    """
    hertz = tuning.hertz(np.arange(KEYS))
    letters = name.encode("ascii", "replace")[:16].ljust(16)
    body = bytes([0x7E, device, 0x08, 0x01, program]) + letters
    for one in hertz:
        body += _three(69.0 + 12.0 * math.log2(one / 440.0)) if np.isfinite(one) else _LEAVE
    return b"\xf0" + body + bytes([checksum(body), 0xF7])


def _three(semitones: float) -> bytes:
    steps = round(semitones * _FRACTIONS)
    if not 0 <= steps < KEYS * _FRACTIONS - 1:
        return _LEAVE
    whole, fraction = divmod(steps, _FRACTIONS)
    return bytes([whole, fraction >> 7, fraction & 0x7F])


def checksum(data: bytes) -> int:
    """The exclusive or of bytes, seven bits of it."""
    return reduce(lambda a, b: a ^ b, data, 0) & 0x7F
