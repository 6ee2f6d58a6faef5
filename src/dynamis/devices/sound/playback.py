"""Frames from standard input out of an audio interface, by a process of its own: `python -m
dynamis.devices.sound.playback ADDRESS`.

PortAudio ends the whole process where a JACK server is gone; so it is never loaded into the program itself.  `list`
prints the outputs that are there as JSON, each with its number of channels.  What comes is a WAV of 32-bit floats
without an end; where nothing comes any more, and at the end, the outputs go to 0 by a ramp.
"""

from __future__ import annotations

import array
import json
import os
import queue
import struct
import sys
import threading
from typing import Any

from dynamis.devices.sound.capture import PREFIX, Refused, end_with, library, report
from dynamis.devices.sound.endless import HEADER_BYTES

_MOST_WAITING = 4  # blocks
_FADE_BLOCKS = 1


def _outputs(sounddevice: Any) -> dict[str, tuple[int, int]]:
    """(device number, channels) by address, of what has an output."""
    systems = [system["name"] for system in sounddevice.query_hostapis()]
    found: dict[str, tuple[int, int]] = {}
    for number, device in enumerate(sounddevice.query_devices()):
        if device["max_output_channels"] > 0:
            address = f"{PREFIX}{device['name']}, {systems[device['hostapi']]}"
            found.setdefault(address, (number, device["max_output_channels"]))
    return found


def _whole(count: int) -> bytes:
    """So many bytes of standard input; fewer at its end."""
    data = b""
    while len(data) < count:
        piece = os.read(0, count - len(data))
        if not piece:
            break
        data += piece
    return data


def _play(sounddevice: Any, address: str) -> None:
    number, most = _outputs(sounddevice).get(address, (None, 0))
    name = address.removeprefix(PREFIX)
    if number is None:
        raise Refused("unplugged", f"There is no output {name}: plug it in, then try again.")
    header = _whole(HEADER_BYTES)
    if len(header) < HEADER_BYTES:
        return
    channels, rate = struct.unpack("<HI", header[22:28])
    if channels > most:
        raise Refused("address", f"{name} has {most} channels; {channels} were asked for.")
    frames = max(1, rate // 100)
    size = 4 * channels * frames
    waiting: queue.Queue[bytes] = queue.Queue(_MOST_WAITING)
    last = bytes(4 * channels)
    over = threading.Event()

    def asked(out: Any, count: int, when: Any, status: Any) -> None:
        nonlocal last
        try:
            block = waiting.get_nowait()
        except queue.Empty:  # held where it stood; a sender that is late is no reason for a jump
            block = last * count
            if over.is_set():
                raise sounddevice.CallbackStop from None
        out[:] = block[: len(out)].ljust(len(out), b"\0")
        last = bytes(out[-4 * channels :])

    try:
        stream = sounddevice.RawOutputStream(
            device=number, channels=channels, samplerate=rate, blocksize=frames, dtype="float32", callback=asked
        )
        stream.start()
    except sounddevice.PortAudioError as error:
        raise Refused("busy", f"{name} cannot be opened ({error.args[0]}).") from error
    while len(block := _whole(size)) == size:
        waiting.put(block)
    # The sender is gone: from where it stood down to 0.
    stood = array.array("f", last)
    ramp = array.array("f", [value * (1.0 - (k + 1) / frames) for k in range(frames) for value in stood])
    for _ in range(_FADE_BLOCKS):
        waiting.put(ramp.tobytes())
    over.set()
    stream.stop()


def main(arguments: list[str]) -> int:
    """Do what was asked for; ends the process at once, whatever the library still waits for."""
    threading.Thread(target=end_with, args=(os.getppid(), 1.0), daemon=True).start()
    status = 0
    try:
        sounddevice = library()
        if arguments == ["list"]:
            print(json.dumps({address: most for address, (_, most) in _outputs(sounddevice).items()}), flush=True)
        else:
            _play(sounddevice, arguments[0])
    except Refused as error:
        report(error)
        status = 2
    os._exit(status)


if __name__ == "__main__":
    main(sys.argv[1:])
