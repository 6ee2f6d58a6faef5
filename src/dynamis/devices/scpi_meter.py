"""A bench meter that speaks SCPI, over TCP, USB or serial, through PyVISA."""

from __future__ import annotations

import contextlib
import math
import re
import socket
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from dynamis.devices.interface import DeviceError, Measurand, Shown
from dynamis.devices.scpi import parse_error, parse_number, parse_setting, shortened
from dynamis.notation.safe import one_line
from dynamis.notation.style import plain

if TYPE_CHECKING:
    from pyvisa.resources import MessageBasedResource

READ_SECONDS: Final = 5.0
# An answer is this long at most, and read in pieces of this size; where bytes may come one by one, the library gives a
# piece all the time it takes to fill, so that it is one byte there.
MOST_ANSWER, _PIECE = 65_536, 4096
# What is further above the full scale of the range than this is no reading of it; nor is such a frequency.
_MOST_OVER, _MOST_HERTZ = 1.5, 1e9
_NOTICE_SECONDS: Final = 0.1  # a meter with one connection has to notice first that the one before is gone
_PORT: Final = re.compile("[0-9]{1,5}")
_FUNCTIONS: Final[dict[Measurand, str]] = {"volts": "VOLT", "hertz": "FREQ"}
_WORDS: Final = {"VOLT": "DC volts", "FREQ": "frequency"}


@dataclass(frozen=True)
class MeterAddress:
    """Where a meter is: a VISA resource name, and host and port where it is a plain socket."""

    resource: str
    host: str = ""
    port: int = 0

    @property
    def shown(self) -> str:
        return f"{self.host}:{self.port}" if self.host else self.resource


def parse_address(text: str) -> MeterAddress:
    """`192.168.1.20:5025`, a serial port's path, or a VISA resource name.

    Raises `DeviceError` (address) for anything else.
    """
    text = text.strip()
    if text.startswith("/dev/") or text.upper().startswith("COM"):
        return MeterAddress(f"ASRL{text}::INSTR")
    parts = text.split("::")
    if len(parts) == 4 and parts[0].upper().startswith("TCPIP") and parts[3].upper() == "SOCKET":
        text = f"{parts[1]}:{parts[2]}"
    elif len(parts) > 1 and parts[-1].upper() in ("INSTR", "SOCKET", "RAW"):
        return MeterAddress(text)
    host, colon, port = text.rpartition(":")
    if not colon or not host or not _PORT.fullmatch(port) or not 0 < int(port) < 65536 or set(host) & set(" /:"):
        raise DeviceError(
            "address",
            f"The meter's address is {shortened(text)}; host:port (as 192.168.1.20:5025), a serial port, or a VISA "
            "resource name was expected.",
        )
    return MeterAddress(f"TCPIP0::{host}::{port}::SOCKET", host, int(port))


class ScpiMeter:
    """One meter, connected.  library : the VISA library, `@py` for the one that is written in Python."""

    def __init__(self, address: str, *, library: str = "@py", seconds: float = READ_SECONDS) -> None:
        self.address = parse_address(address)
        self._library, self._seconds = library, seconds
        self._resource: MessageBasedResource | None = None
        self._prepared: tuple[Measurand, float | None] | None = None
        self._tells_setting = True
        self.identity = ""
        try:
            self._connect()
        except BaseException:
            self.close()
            raise

    # -- connection --------------------------------------------------------------------------------

    def _connect(self) -> None:
        """Open the connection and make sure of who answers.

        The VISA library takes a refused connection for an open one, and a closed one for a silent meter; so
        what is wrong with a connection that gives no answer is asked of the system itself.  A meter that then
        answers had not yet noticed that the connection before was gone: it is asked once more.
        """
        try:
            text = self._open_and_ask()
        except DeviceError as error:
            if error.trouble not in ("silent", "unplugged") or not self.address.host:
                raise
            self._close_resource()
            reached = self._reach(ask=True)
            if isinstance(reached, OSError) or reached == b"":
                raise self._diagnosed(error, reached) from error
            text = self._open_and_ask()
        shown = shortened(text)
        if self.identity and one_line(text) != self.identity:
            raise DeviceError(
                "other device",
                f"At {self.address.shown} answers {shown} instead of {shortened(self.identity)}: connect the meter "
                "that the run was begun with.",
            )
        if not text.strip():
            raise DeviceError("garbage", f"The meter at {self.address.shown} does not say who it is.")
        self.identity = one_line(text)

    def _open_and_ask(self) -> str:
        self._open()
        if not self.address.host:
            self._drain()
        return self._ask("*IDN?")

    def _open(self) -> None:
        import pyvisa

        if self._resource is not None:
            self._close_resource()
            if self.address.host:
                time.sleep(_NOTICE_SECONDS)
        if self.address.host and self._library == "@py":
            try:
                socket.getaddrinfo(self.address.host, self.address.port)
            except socket.gaierror as error:
                raise DeviceError("absent", f"There is no host called {self.address.host}: check the name.") from error
        try:
            with self._named():
                resource = pyvisa.ResourceManager(self._library).open_resource(
                    self.address.resource, open_timeout=int(self._seconds * 1000)
                )
        except DeviceError:
            raise
        except Exception as error:
            # This is all that the library says of a host it cannot reach.
            if type(error) is not Exception:
                raise
            refused = DeviceError("absent", f"{self.address.shown}: {error}.")
            raise self._diagnosed(refused, self._reach(ask=True)) from error
        self._resource = resource  # type: ignore[assignment]
        assert self._resource is not None
        self._resource.read_termination = self._resource.write_termination = "\n"
        self._resource.timeout = self._seconds * 1000

    def _diagnosed(self, error: DeviceError, reached: bytes | OSError) -> DeviceError:
        """What is wrong at a host and port where nobody says who he is; `reached` is what a connection of our own
        met."""
        shown = self.address.shown
        if isinstance(reached, ConnectionRefusedError):
            return DeviceError(
                "absent", f"Nothing listens at {shown}: is the meter on, and its network interface enabled?"
            )
        if isinstance(reached, TimeoutError):
            return error
        if isinstance(reached, OSError):
            reason = reached.strerror or reached
            return DeviceError("absent", f"{shown} cannot be reached ({reason}): check the network and the address.")
        if reached == b"":
            return DeviceError(
                "busy",
                f"The meter at {shown} ends the connection at once: another program may be using it; close that one, "
                "then try again.",
            )
        return error

    def _reach(self, *, ask: bool) -> bytes | OSError:
        """What a connection of our own meets: the first bytes, none where it is ended at once, or the error."""
        time.sleep(_NOTICE_SECONDS)
        try:
            with socket.create_connection((self.address.host, self.address.port), min(self._seconds, 2.0)) as own:
                if ask:
                    own.sendall(b"*IDN?\n")
                    return own.recv(64)
                return b""
        except ConnectionResetError:
            return b""
        except OSError as error:
            return error

    def _close_resource(self) -> None:
        # The manager stays: all meters of a library share it, and closing it would close them all.
        if self._resource is not None:
            with contextlib.suppress(Exception):
                self._resource.close()
        self._resource = None

    def close(self) -> None:
        self._close_resource()

    @contextlib.contextmanager
    def _named(self) -> Iterator[None]:
        """Give trouble of the library and the system its name and its sentence."""
        import pyvisa

        shown = self.address.shown
        try:
            yield
        except pyvisa.errors.VisaIOError as error:
            if error.error_code == pyvisa.constants.StatusCode.error_timeout:
                raise self._name_silence(error) from error
            if error.error_code == pyvisa.constants.StatusCode.error_resource_busy:
                raise _busy(shown, error) from error
            raise DeviceError("absent", f"{shown}: {error.description}") from error
        except PermissionError as error:
            raise DeviceError(
                "permission",
                f"{shown} may not be opened: join the group that owns the port, or ask who runs this computer.",
            ) from error
        except FileNotFoundError as error:
            raise DeviceError("absent", f"{shown} is not there: is the lead plugged in?") from error
        except UnicodeDecodeError as error:
            raise DeviceError(
                "garbage", f"The meter at {shown} sends what is no text: check its speed and its language."
            ) from error
        except OSError as error:
            if error.errno == 13:
                raise DeviceError("permission", f"{shown} may not be opened: join the group that owns it.") from error
            if error.errno in (2, 6, 19):
                raise DeviceError("absent", f"{shown} is not there: is the lead plugged in?") from error
            if error.errno in (11, 16):
                raise _busy(shown, error) from error
            raise DeviceError(
                "unplugged", f"The connection to the meter at {shown} is gone: plug it in again, then go on."
            ) from error

    def _name_silence(self, cause: Exception) -> DeviceError:
        """A meter that is gone is reached by no connection; one that is silent is."""
        shown = self.address.shown
        if self.address.host and self.identity and isinstance(self._reach(ask=False), OSError):
            return DeviceError(
                "unplugged", f"The meter at {shown} is gone: check its power and its network lead, then go on."
            )
        return DeviceError(
            "silent",
            f"The meter at {shown} has not answered within {plain(self._seconds)} s: look at its display, stop a long "
            "measurement or a hold, then go on.",
        )

    def _write(self, command: str) -> None:
        if self._resource is None:
            raise DeviceError("unplugged", f"The meter at {self.address.shown} is not connected.")
        with self._named():
            self._resource.write(command)

    def _ask(self, query: str) -> str:
        self._write(query)
        with self._named():
            return self._answer().decode("ascii").rstrip("\r\n")

    def _answer(self) -> bytes:
        """One whole answer, within one time for all of it and not longer than an answer can be.

        The library's own reading counts its time anew with each piece, and knows no limit.
        """
        from pyvisa.constants import StatusCode

        assert self._resource is not None
        resource, until, got = self._resource, time.monotonic() + self._seconds, bytearray()
        size = (
            1 if self._library == "@py" and (self.address.host or resource.resource_name.startswith("ASRL")) else _PIECE
        )
        try:
            with resource.ignore_warning(StatusCode.success_max_count_read, StatusCode.success_device_not_present):
                while len(got) < MOST_ANSWER and (not got or time.monotonic() < until):
                    if size > 1 or len(got) % 64 == 0:
                        resource.timeout = max(1.0, 1000 * (until - time.monotonic()))
                    piece, status = resource.visalib.read(resource.session, size)
                    got += piece
                    if status != StatusCode.success_max_count_read:
                        return bytes(got)
        finally:
            resource.timeout = self._seconds * 1000
        raise DeviceError(
            "garbage",
            f"The meter at {self.address.shown} began an answer ({shortened(got[:80].decode('latin-1'))}) and did not "
            f"end it within {plain(self._seconds)} s: check its language and its address, then go on.",
        )

    def recover(self) -> None:
        """Connect anew.  A late answer stays behind with the old connection; where the line outlives it, as on a
        serial port, what still comes is read off before the meter is asked who it is."""
        self._connect()
        if self._prepared is not None:
            self.prepare(*self._prepared)

    def _drain(self) -> None:
        assert self._resource is not None
        self._resource.timeout = 200
        until = time.monotonic() + self._seconds
        with contextlib.suppress(Exception):
            while time.monotonic() < until:
                self._resource.visalib.read(self._resource.session, _PIECE)
        self._resource.timeout = self._seconds * 1000

    # -- measuring ---------------------------------------------------------------------------------

    def prepare(self, quantity: Measurand, full_scale_volts: float | None) -> None:
        self._prepared = quantity, full_scale_volts
        self._write("*CLS")
        if quantity == "volts":
            if full_scale_volts is None:
                raise DeviceError(
                    "wrong range", "The full scale of the meter's range is not known; give it, so that it can be held."
                )
            self._write(f"CONF:VOLT:DC {full_scale_volts:g}")
        else:
            self._write("CONF:FREQ")
        self._check_errors()
        self._check_setting()

    def read(self) -> Shown:
        """One reading; refused where the function or the range is not the prepared one any more."""
        if self._prepared is None:
            raise DeviceError("wrong function", "The meter has not been told what to measure.")
        answer = self._ask("READ?")
        full_scale = self._check_setting()
        value = parse_number(answer)
        self._check_errors()
        if math.isinf(value):
            raise DeviceError(
                "overload",
                "The meter shows an overload: the voltage is beyond its range. Check what is connected, choose a "
                "higher range for the run where it is right.",
            )
        if math.isnan(value):
            raise DeviceError("no number", "The meter shows no number: check the probe and what it measures.")
        self._check_possible(value, full_scale)
        return Shown(value, full_scale)

    def _check_possible(self, value: float, full_scale: float | None) -> None:
        assert self._prepared is not None
        quantity, prepared = self._prepared
        if quantity == "hertz":
            if not 0 < value <= _MOST_HERTZ:
                raise DeviceError(
                    "no number", f"The meter shows {plain(value)} Hz, which is no frequency: check the probe."
                )
            return
        span = full_scale or prepared
        if span is not None and abs(value) > _MOST_OVER * span:
            raise DeviceError(
                "garbage",
                f"The meter shows {plain(value)} V on its {plain(span)} V range, which cannot be: look at its display.",
            )

    def _check_errors(self) -> None:
        number, text = parse_error(self._ask("SYST:ERR?"))
        if number != 0:
            raise DeviceError(
                "device error", f"The meter reports error {number}, {shortened(text)}: see its manual, then go on."
            )

    def _check_setting(self) -> float | None:
        """Full scale of the range the meter stands on; refuses another function or range than was prepared.

        A meter that does not know CONF? is believed; its range is then None.
        """
        assert self._prepared is not None
        quantity, full_scale = self._prepared
        if not self._tells_setting:
            return None
        function, numbers = parse_setting(self._ask("CONF?"))
        wanted = _FUNCTIONS[quantity]
        if not function.startswith(wanted) or function.endswith(":AC"):
            raise DeviceError(
                "wrong function",
                f"The meter measures {_WORDS.get(function.split(':')[0], function)} instead of {_WORDS[wanted]}: "
                "somebody has pressed its keys. Go on sets it right.",
            )
        if quantity == "hertz":
            return None
        if not numbers:
            return None
        if full_scale is not None and not math.isclose(numbers[0], full_scale, rel_tol=1e-6):
            raise DeviceError(
                "wrong range",
                f"The meter stands on its {plain(numbers[0])} V range instead of {plain(full_scale)} V: readings of "
                "two ranges do not share their errors. Go on sets it back.",
            )
        return numbers[0]


def _busy(shown: str, error: Exception) -> DeviceError:
    return DeviceError("busy", f"{shown} is in use by another program: close that one, then try again.")
