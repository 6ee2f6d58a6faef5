"""A DAC board on a serial port, by the line protocol of `docs/board-protocol.md`."""

from __future__ import annotations

import contextlib
import errno
import os
import re
import select
import threading
import time
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Final

from dynamis.converter.firmware import BoardCorrection, pitch_steps
from dynamis.devices.interface import BoardIdentity, DeviceError
from dynamis.devices.lines import ENTRIES_A_LINE, MOST_CHARACTERS, MOST_ENTRIES, PROTOCOL, frame, unframe, whole
from dynamis.devices.running_time import running_seconds
from dynamis.devices.scpi import shortened
from dynamis.errors import InputError

if TYPE_CHECKING:
    from serial import Serial

BAUD: Final = 115_200
REPLY_SECONDS: Final = 1.0
GREETING_SECONDS: Final = 2.5
# A line that the port does not take within this is given up, so that the safe output never waits long behind it.
WRITE_SECONDS: Final = 0.15
_CHANNELS: Final = re.compile("[A-Za-z0-9]{1,26}")


class SerialBoard:
    """One board, connected."""

    def __init__(
        self, port: str, *, reply_seconds: float = REPLY_SECONDS, greeting_seconds: float = GREETING_SECONDS
    ) -> None:
        self.port = port.strip()
        self._reply_seconds, self._greeting_seconds = reply_seconds, greeting_seconds
        # One question after another: `_lock`.  One line after another: `_line_lock`, which is never held for long, so
        # that the safe output goes ahead of whatever is being asked; `_cuts` counts how often it did.
        self._lock, self._line_lock = threading.RLock(), threading.Lock()
        self._cuts = self._begun_after = self._depth = 0
        self._serial: Serial | None = None
        self._tag = 0
        self._waiting = bytearray()
        if not self.port:
            raise DeviceError("address", "The board's port is missing; something like /dev/ttyACM0 was expected.")
        try:
            self.identity = self._opened()
        except BaseException:
            self._close_port()
            raise

    # -- connection --------------------------------------------------------------------------------

    def _opened(self) -> BoardIdentity:
        """Open the port and ask who is there; a board that begins later than it was waited for is asked again."""
        self._open()
        try:
            return self._hello()
        except DeviceError as error:
            if error.trouble != "restarted":
                raise
        return self._hello()

    def _open(self) -> None:
        import serial

        self._waiting.clear()
        try:
            self._serial = serial.Serial(self.port, BAUD, timeout=0.05, exclusive=True)
        except (OSError, ValueError) as error:
            raise _not_opened(self.port, error) from error
        # Opening the port restarts many boards; one that does not is asked in any case.
        until = running_seconds() + self._greeting_seconds
        while running_seconds() < until:
            fields = self._line(until)
            if fields is not None and fields[:2] == ["--", "READY"]:
                break

    def _hello(self) -> BoardIdentity:
        values = self._ask("HELLO")
        if len(values) != 6 or whole(values[0], 0, 999) is None:
            raise _nonsense(self.port, " ".join(values))
        if values[0] != str(PROTOCOL):
            raise DeviceError(
                "refused", f"The board speaks version {values[0]} of the protocol; this program knows {PROTOCOL}."
            )
        bits, boots = whole(values[4], 1, 24), whole(values[5], 0, 10**18)
        if bits is None or boots is None or not _CHANNELS.fullmatch(values[3]):
            raise _nonsense(self.port, " ".join(values))
        return BoardIdentity(values[1], values[2], values[3], bits, boots)

    def _close_port(self) -> None:
        if self._serial is not None:
            with contextlib.suppress(OSError):
                self._serial.close()
        self._serial = None

    def recover(self) -> None:
        with self._asked():
            before = self.identity
            if self._serial is not None:
                try:
                    self._flush()
                    found = self._hello()
                except DeviceError:
                    self._close_port()
            if self._serial is None:
                found = self._opened()
            if (found.design, found.unit) != (before.design, before.unit):
                raise DeviceError(
                    "wrong unit",
                    f"Unit {found.unit} of {found.design} answers instead of unit {before.unit} of {before.design}: "
                    "plug that one in, or begin a run for this one.",
                )
            self.identity = found

    def close(self) -> None:
        if self._serial is None:
            return
        with contextlib.suppress(DeviceError):
            self.make_safe()
        with self._lock:
            self._close_port()

    # -- lines -------------------------------------------------------------------------------------

    @contextlib.contextmanager
    def _asked(self) -> Iterator[None]:
        """One thing that is asked of the board, however many lines it takes: from its first line on, a safe output
        cuts it off."""
        with self._lock:
            if self._depth == 0:
                self._begun_after = self._cuts
            self._depth += 1
            try:
                yield
            finally:
                self._depth -= 1

    def _check_cut(self) -> None:
        if self._cuts != self._begun_after:
            raise DeviceError("cut off", "The safe output cut off what was being asked of the board; ask again.")

    def _write(self, data: bytes, *, cuts: bool = False) -> None:
        """Send a line, ahead of everything where it `cuts`; nothing of what was cut off is sent behind it."""
        with self._line_lock, self._plugged() as port:
            if cuts:
                self._cuts += 1
            else:
                self._check_cut()
            _put(port, data)

    @contextlib.contextmanager
    def _plugged(self) -> Iterator[Serial]:
        if self._serial is None:
            raise DeviceError("unplugged", f"The board at {self.port} is not connected.")
        try:
            yield self._serial
        except (OSError, TypeError) as error:  # pyserial trips over its own closed port with a TypeError
            self._close_port()
            raise DeviceError(
                "unplugged", f"The board at {self.port} is gone: plug it in again, then go on."
            ) from error

    def _flush(self) -> None:
        """End a half-sent line, and forget what still comes in."""
        self._write(b"\n")
        with self._plugged() as port:
            time.sleep(0.05)
            self._check_cut()
            port.reset_input_buffer()
            self._waiting.clear()

    def _line(self, until: float) -> list[str] | None:
        """The fields of the next whole line; None when there was none in time.  A damaged line is an error."""
        with self._plugged() as port:
            while b"\n" not in self._waiting:
                self._check_cut()
                if running_seconds() >= until:
                    return None
                if len(self._waiting) > MOST_CHARACTERS + 1:
                    said = self._waiting.decode("latin-1")
                    self._waiting.clear()
                    raise _nonsense(self.port, said)
                self._waiting += port.read(min(max(1, port.in_waiting), MOST_CHARACTERS))
        self._check_cut()  # what came in meanwhile may be the reply to the safe output, and stays for it
        raw, _, rest = bytes(self._waiting).partition(b"\n")
        self._waiting[:] = rest
        fields = unframe(raw.rstrip(b"\r"))
        if fields is None:
            raise DeviceError(
                "damaged line",
                f"A line from the board came damaged ({shortened(raw.decode('latin-1'))}): check the lead and the "
                "common ground, then go on.",
            )
        return fields

    def _ask(self, verb: str, *values: object) -> list[str]:
        """The values of a reply; late replies to older requests are passed over by their tag."""
        with self._asked():
            self._tag = (self._tag + 1) % 256
            tag = f"{self._tag:02x}"
            self._write(frame(tag, verb, *values))
            return self._replied(verb, tag)

    def _replied(self, verb: str, tag: str) -> list[str]:
        until = running_seconds() + self._reply_seconds
        while True:
            fields = self._line(until) if running_seconds() < until else None
            if fields is None:
                raise DeviceError(
                    "silent",
                    f"The board at {self.port} has not answered within {self._reply_seconds:g} s: check its power "
                    "and that it runs the protocol, then go on.",
                )
            if fields[:2] == ["--", "READY"] or fields[1:3] == ["ERR", "6"]:
                raise DeviceError(
                    "restarted",
                    "The board has restarted, and its outputs are at their safe value: check its power and the "
                    "lead, then go on.",
                )
            if fields[0] not in (tag, "--"):
                continue
            if fields[1:2] == ["OK"]:
                return fields[2:]
            if fields[1:2] == ["ERR"] and fields[2:3] == ["1"]:
                raise DeviceError(
                    "damaged line",
                    "A line to the board came damaged there: check the lead and the common ground, then go on.",
                )
            if fields[1:2] == ["ERR"]:
                change = " ".join(fields[2:])
                raise DeviceError("refused", f"The board refuses {verb} with error {change}.")
            raise _nonsense(self.port, " ".join(fields))

    # -- what a board does -------------------------------------------------------------------------

    def set_code(self, channel: str, code: int) -> int:
        return self._number(self._ask("CODE", channel, code))

    def play(self, channel: str, note: float) -> int:
        return self._number(self._ask("NOTE", channel, int(pitch_steps(note))))

    def make_safe(self) -> None:
        # The line end ahead of it ends a line that was half sent.  The tag is one that no question has.
        tag = f"{(self._tag + 128) % 256:02x}"
        self._write(b"\n" + frame(tag, "SAFE"), cuts=True)
        while True:
            try:
                with self._asked():
                    self._replied("SAFE", tag)
                return
            except DeviceError as error:
                if error.trouble != "cut off":  # by another safe output, whose reply is as good
                    raise

    def keep_alive(self) -> None:
        self._ask("PING")

    def held_hash(self, channel: str) -> str:
        values = self._ask("LOOK", channel)
        return values[-1] if values else ""

    def held(self, channel: str) -> BoardCorrection:
        with self._asked():
            values = self._ask("LOOK", channel)
            if len(values) != 6 or values[0] not in ("E", "L"):
                raise _nonsense(self.port, " ".join(values))
            base, scale, first, count = (self._whole(text) for text in values[1:5])
            if not 0 <= count <= MOST_ENTRIES:
                raise _nonsense(self.port, f"{values[4]} entries")
            entries: list[int] = []
            while len(entries) < count:
                more = [self._whole(text) for text in self._ask("ROWS", channel, len(entries))]
                if not 0 < len(more) <= min(ENTRIES_A_LINE, count - len(entries)):
                    raise _nonsense(self.port, f"a row of {len(more)} entries")
                entries += more
            try:
                held = BoardCorrection("E" if values[0] == "E" else "L", base, scale, first, tuple(entries))
            except InputError as error:
                raise DeviceError("garbage", f"What the board holds cannot be: {error}") from error
            if held.hash != values[5]:
                raise DeviceError(
                    "wrong hash",
                    f"What was read back from the board has the hash {held.hash}, the board says {values[5]}: check "
                    "the lead, then read it again.",
                )
            return held

    def send(self, channel: str, correction: BoardCorrection, progress: Callable[[float], None]) -> None:
        with self._asked():
            constants, entries = correction, correction.sixteenths
            self._ask(
                "LOAD", channel, constants.law, constants.base, constants.scale, constants.first_note, len(entries)
            )
            for first in range(0, len(entries), ENTRIES_A_LINE):
                self._ask("PUT", first, *entries[first : first + ENTRIES_A_LINE])
                progress(first / (len(entries) + 1))
            try:
                self._ask("KEEP", constants.hash)
            except DeviceError as error:
                if error.trouble != "restarted":
                    raise
                self.recover()
                holds = self.held_hash(channel)
                raise DeviceError(
                    "torn",
                    f"The board lost its power while it stored the correction; it now holds {holds}, "
                    f"{'the new constants' if holds == constants.hash else 'not the new constants'}. "
                    "Check its power, then send again.",
                ) from error
            holds = self.held_hash(channel)
            if holds != constants.hash:
                raise DeviceError(
                    "wrong hash",
                    f"The board holds {holds} after the correction {constants.hash} was sent: send it again.",
                )
            progress(1.0)

    def _number(self, values: list[str]) -> int:
        return self._whole(values[0] if len(values) == 1 else "")

    def _whole(self, text: str) -> int:
        number = whole(text, -(10**18), 10**18)
        if number is None:
            raise _nonsense(self.port, text)
        return number


def _put(port: Serial, data: bytes) -> None:
    """Write it all, or `TimeoutError`: where the port took nothing, not where this process was held up meanwhile,
    which the library's own limit cannot tell apart."""
    until = running_seconds() + WRITE_SECONDS
    while data:
        left = until - running_seconds()
        if select.select([], [port.fileno()], [], max(0.0, left))[1]:
            data = data[os.write(port.fileno(), data) :]
        elif left <= 0.0:
            raise TimeoutError(errno.ETIMEDOUT, "The port takes nothing.")


def _nonsense(port: str, said: str) -> DeviceError:
    return DeviceError(
        "garbage", f"What answers at {port} is no board of this protocol (it said {shortened(said)}): check the port."
    )


def _not_opened(port: str, error: Exception) -> DeviceError:
    number = getattr(error, "errno", None)
    if number == errno.EACCES:
        return DeviceError(
            "permission",
            f"{port} may not be opened: add yourself to the group that owns it (often dialout), then log in anew.",
        )
    if number in (errno.EBUSY, errno.EAGAIN):
        return DeviceError("busy", f"{port} is in use by another program: close that one, then try again.")
    if number in (errno.ENOENT, errno.ENXIO, errno.ENODEV):
        return DeviceError("absent", f"{port} is not there: is the board plugged in?")
    return DeviceError("address", f"{port} cannot be used as a serial port ({error}).")
