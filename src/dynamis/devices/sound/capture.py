"""An audio input poured out as a WAV that never ends, by a process of its own: `python -m
dynamis.devices.sound.capture`.

PortAudio ends the whole process where a JACK server that it has spoken to is gone, and waits for ever where one
hangs; so it is never loaded into the program itself.  `list` prints the inputs that are there as JSON; `ADDRESS
CHANNEL` pours out one channel.  What is wrong is one JSON object on standard error.  A sample that is no number says
that some were lost.
"""

from __future__ import annotations

import array
import contextlib
import json
import os
import queue
import sys
import threading
import time
from typing import Any

from dynamis.devices.running_time import wait_until
from dynamis.devices.sound.endless import endless_header

PREFIX = "audio:"
_MOST_WAITING = 500  # blocks
_QUIET_SECONDS = 3.0
_LOOK_SECONDS = 1.0
LOST = float("nan")


class Refused(Exception):  # noqa: N818
    """A sentence on its way out."""

    def __init__(self, trouble: str, sentence: str) -> None:
        super().__init__(sentence)
        self.trouble = trouble


def library() -> Any:
    """PortAudio; raises `Refused` where there is none."""
    try:
        import sounddevice
    except (ImportError, OSError) as error:
        raise Refused("absent", f"There is no PortAudio here ({error}): install libportaudio2.") from error
    return sounddevice


def _inputs(library: Any) -> dict[str, int]:
    """Device numbers by address, of what has an input."""
    systems = [system["name"] for system in library.query_hostapis()]
    found: dict[str, int] = {}
    for number, device in enumerate(library.query_devices()):
        if device["max_input_channels"] > 0:
            found.setdefault(f"{PREFIX}{device['name']}, {systems[device['hostapi']]}", number)
    return found


def _pour(sounddevice: Any, address: str, channel: int) -> None:
    number, name = _inputs(sounddevice).get(address), address.removeprefix(PREFIX)
    if number is None:
        raise Refused("unplugged", f"There is no input {name}: plug it in, then try again.")
    device = sounddevice.query_devices(number)
    if channel >= device["max_input_channels"]:
        raise Refused(
            "address",
            f"{name} has {device['max_input_channels']} channels, counted from 0; channel {channel} was asked for.",
        )
    blocks: queue.Queue[bytes | None] = queue.Queue(_MOST_WAITING)
    width = channel + 1

    def came(data: Any, frames: int, when: Any, status: Any) -> None:
        samples = array.array("f", bytes(data))[channel::width]
        lost = array.array("f", [LOST]) if status.input_overflow else array.array("f")
        try:
            blocks.put_nowait((lost + samples).tobytes())
        except queue.Full:
            blocks.get_nowait()
            blocks.put_nowait((array.array("f", [LOST]) + samples).tobytes())

    rate = round(device["default_samplerate"])
    try:
        stream = sounddevice.RawInputStream(
            device=number,
            channels=width,
            samplerate=rate,
            dtype="float32",
            callback=came,
            finished_callback=lambda: blocks.put(None),
        )
        stream.start()
    except sounddevice.PortAudioError as error:
        raise Refused("busy", f"{name} cannot be opened ({error.args[0]}).") from error
    os.write(1, endless_header(1, rate))
    while True:
        block = _next(blocks)
        if block is None:
            raise Refused("unplugged", f"{name} is gone: plug it in again, then go on.")
        while block:
            block = block[os.write(1, block) :]


def _next(blocks: queue.Queue[bytes | None]) -> bytes | None:
    """The next block, None at the end or where none comes."""
    came: list[bytes | None] = []

    def comes(seconds: float) -> bool:
        with contextlib.suppress(queue.Empty):
            came.append(blocks.get(timeout=seconds))
        return bool(came)

    wait_until(comes, _QUIET_SECONDS)
    return came[0] if came else None


def end_with(parent: int, look_seconds: float = _LOOK_SECONDS) -> None:
    """End with the program that started this, even where the library waits for ever and nothing is written."""
    while os.getppid() == parent:
        time.sleep(look_seconds)
    os._exit(0)


def report(error: Refused) -> None:
    """Say what is wrong, as one JSON object on standard error."""
    print(json.dumps({"trouble": error.trouble, "sentence": str(error)}), file=sys.stderr, flush=True)


def main(arguments: list[str]) -> int:
    """Do what was asked for; ends the process at once, whatever the library still waits for."""
    status = 0
    threading.Thread(target=end_with, args=(os.getppid(),), daemon=True).start()
    try:
        sounddevice = library()
        if arguments == ["list"]:
            print(json.dumps(list(_inputs(sounddevice))), flush=True)
        else:
            _pour(sounddevice, arguments[0], int(arguments[1]))
    except Refused as error:
        report(error)
        status = 2
    except BrokenPipeError:  # nobody listens any more
        status = 0
    os._exit(status)


if __name__ == "__main__":
    main(sys.argv[1:])
