"""A raw MIDI device: a file that takes the bytes as they go over the wire."""

from __future__ import annotations

import contextlib
import os
import select
import stat
from typing import Final

from dynamis.devices.interface import DeviceError
from dynamis.devices.running_time import running_seconds

_WAIT_SECONDS: Final = 1.0


class RawOutput:
    """path : of the device; a plain file is refused."""

    def __init__(self, path: str) -> None:
        self.identity = path
        self._descriptor = -1
        try:
            if not stat.S_ISCHR(os.stat(path).st_mode):
                raise DeviceError("address", f"{path} is no device: a raw MIDI device was expected.")
            self._descriptor = os.open(path, os.O_WRONLY | os.O_NONBLOCK | os.O_NOCTTY)
        except PermissionError as error:
            raise DeviceError(
                "permission", f"{path} may not be opened: join the group that owns it, or ask who runs this computer."
            ) from error
        except OSError as error:
            trouble = "busy" if error.errno == 16 else "absent"
            words = "is in use by another program" if trouble == "busy" else "is not there: is the lead plugged in?"
            raise DeviceError(trouble, f"{path} {words}") from error  # type: ignore[arg-type]

    def send(self, data: bytes) -> None:
        until = running_seconds() + _WAIT_SECONDS
        while data:
            if running_seconds() > until:
                raise DeviceError(
                    "silent", f"The MIDI port {self.identity} takes no bytes: plug it in again, then go on."
                )
            try:
                if select.select([], [self._descriptor], [], 0.1)[1]:
                    data = data[os.write(self._descriptor, data) :]
            except (OSError, ValueError) as error:
                raise DeviceError(
                    "unplugged", f"The MIDI port {self.identity} is gone: plug it in again, then go on."
                ) from error

    def close(self) -> None:
        descriptor, self._descriptor = self._descriptor, -1
        if descriptor >= 0:
            with contextlib.suppress(OSError):
                os.close(descriptor)
