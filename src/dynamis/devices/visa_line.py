"""A line to an instrument that is spoken to in words, over TCP, USB or serial, through PyVISA."""

from __future__ import annotations

import contextlib
import re
import socket
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from dynamis.devices.dialogue import Dialogue
from dynamis.devices.interface import DeviceError
from dynamis.devices.running_time import running_seconds
from dynamis.devices.scpi import shortened
from dynamis.notation.safe import one_line
from dynamis.notation.style import plain

if TYPE_CHECKING:
    from pyvisa.resources import MessageBasedResource

READ_SECONDS: Final = 5.0
# An answer is this long at most, and read in pieces of this size; where bytes may come one by one, the library gives a
# piece all the time it takes to fill, so that it is one byte there.
MOST_ANSWER, _PIECE = 65_536, 4096
_NOTICE_SECONDS: Final = 0.1  # a meter with one connection has to notice first that the one before is gone
_HELD_UP: Final = 0.1  # seconds of its time that an answer still has where the library says that it has none
_PORT: Final = re.compile("[0-9]{1,5}")
_BAUD: Final = re.compile("[0-9]{1,7}")


@dataclass(frozen=True)
class InstrumentAddress:
    """Where an instrument is: a VISA resource name, and host and port where it is a plain socket.

    baud : of a serial port, None where it was not given.
    """

    resource: str
    host: str = ""
    port: int = 0
    baud: int | None = None

    @property
    def shown(self) -> str:
        return f"{self.host}:{self.port}" if self.host else self.resource


def parse_address(text: str, what: str = "meter") -> InstrumentAddress:
    """`192.168.1.20:5025`, a serial port's path (`/dev/ttyUSB0@19200` with its speed), or a VISA resource name.

    what : meter, counter, source.  Raises `DeviceError` (address) for anything else.
    """
    text = text.strip()
    if text.startswith("/dev/") or text.upper().startswith("COM"):
        path, at, speed = text.partition("@")
        if at and not (_BAUD.fullmatch(speed) and int(speed) > 0):
            raise DeviceError(
                "address", f"The speed of {shortened(path)} is {shortened(speed)}; such as 9600 was expected."
            )
        return InstrumentAddress(f"ASRL{path}::INSTR", baud=int(speed) if at else None)
    parts = text.split("::")
    if len(parts) == 4 and parts[0].upper().startswith("TCPIP") and parts[3].upper() == "SOCKET":
        text = f"{parts[1]}:{parts[2]}"
    elif len(parts) > 1 and parts[-1].upper() in ("INSTR", "SOCKET", "RAW"):
        return InstrumentAddress(text)
    host, colon, port = text.rpartition(":")
    if not colon or not host or not _PORT.fullmatch(port) or not 0 < int(port) < 65536 or set(host) & set(" /:"):
        raise DeviceError(
            "address",
            f"The {what}'s address is {shortened(text)}; host:port (as 192.168.1.20:5025), a serial port, or a VISA "
            "resource name was expected.",
        )
    return InstrumentAddress(f"TCPIP0::{host}::{port}::SOCKET", host, int(port))


class VisaLine:
    """One instrument, connected.

    what : meter, counter, source; for sentences.  asks_identity : what it is asked who it is with; empty where it does
    not know its name.  library : the VISA library, `@py` for the one that is written in Python.
    """

    def __init__(
        self,
        address: str,
        *,
        what: str,
        asks_identity: str = "*IDN?",
        dialogue: Dialogue | None = None,
        library: str = "@py",
        seconds: float = READ_SECONDS,
    ) -> None:
        self.address, self.what = parse_address(address, what), what
        self.dialogue = Dialogue() if dialogue is None else dialogue
        self._asks_identity = asks_identity
        self._library, self._seconds = library, seconds
        self._resource: MessageBasedResource | None = None
        self.identity = ""
        try:
            self.connect()
        except BaseException:
            self.close()
            raise

    # -- connection --------------------------------------------------------------------------------

    def connect(self) -> None:
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
            raise DeviceError("garbage", f"The {self.what} at {self.address.shown} does not say who it is.")
        self.identity = one_line(text)

    def _open_and_ask(self) -> str:
        self._open()
        if not self.address.host:
            self._drain()
        return self.ask(self._asks_identity) if self._asks_identity else f"{self.what} at {self.address.shown}"

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
        if self.address.baud is not None:
            with self._named():
                self._resource.baud_rate = self.address.baud  # type: ignore[attr-defined]  # a serial port has one

    def _diagnosed(self, error: DeviceError, reached: bytes | OSError) -> DeviceError:
        """What is wrong at a host and port where nobody says who he is; `reached` is what a connection of our own
        met."""
        shown = self.address.shown
        if isinstance(reached, ConnectionRefusedError):
            return DeviceError(
                "absent", f"Nothing listens at {shown}: is the {self.what} on, and its network interface enabled?"
            )
        if isinstance(reached, TimeoutError):
            return error
        if isinstance(reached, OSError):
            reason = reached.strerror or reached
            return DeviceError("absent", f"{shown} cannot be reached ({reason}): check the network and the address.")
        if reached == b"":
            return DeviceError(
                "busy",
                f"The {self.what} at {shown} ends the connection at once: another program may be using it; close "
                "that one, then try again.",
            )
        return error

    def _reach(self, *, ask: bool) -> bytes | OSError:
        """What a connection of our own meets: the first bytes, none where it is ended at once, or the error."""
        time.sleep(_NOTICE_SECONDS)
        try:
            with socket.create_connection((self.address.host, self.address.port), min(self._seconds, 2.0)) as own:
                if ask:
                    own.sendall(f"{self._asks_identity or '*IDN?'}\n".encode())
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
                "garbage", f"The {self.what} at {shown} sends what is no text: check its speed and its language."
            ) from error
        except OSError as error:
            if error.errno == 13:
                raise DeviceError("permission", f"{shown} may not be opened: join the group that owns it.") from error
            if error.errno in (2, 6, 19):
                raise DeviceError("absent", f"{shown} is not there: is the lead plugged in?") from error
            if error.errno in (11, 16):
                raise _busy(shown, error) from error
            raise DeviceError(
                "unplugged", f"The connection to the {self.what} at {shown} is gone: plug it in again, then go on."
            ) from error

    def _name_silence(self, cause: Exception) -> DeviceError:
        """A meter that is gone is reached by no connection; one that is silent is."""
        shown = self.address.shown
        if self.address.host and self.identity and isinstance(self._reach(ask=False), OSError):
            return DeviceError(
                "unplugged", f"The {self.what} at {shown} is gone: check its power and its network lead, then go on."
            )
        return DeviceError(
            "silent",
            f"The {self.what} at {shown} has not answered within {plain(self._seconds)} s: look at its display, "
            "stop a long measurement or a hold, then go on.",
        )

    def write(self, command: str) -> None:
        if self._resource is None:
            raise DeviceError("unplugged", f"The {self.what} at {self.address.shown} is not connected.")
        self.dialogue.add(asked=True, text=command)
        with self._named():
            self._resource.write(command)

    def ask(self, query: str) -> str:
        self.write(query)
        with self._named():
            answer = self._answer().decode("ascii").rstrip("\r\n")
        self.dialogue.add(asked=False, text=answer)
        return answer

    def _answer(self) -> bytes:
        """One whole answer, within one time for all of it and not longer than an answer can be.

        The library's own reading counts its time anew with each piece, and knows no limit; it also counts what this
        program was held up.
        """
        from pyvisa.constants import StatusCode
        from pyvisa.errors import VisaIOError

        assert self._resource is not None
        resource, until, got = self._resource, running_seconds() + self._seconds, bytearray()
        size = (
            1 if self._library == "@py" and (self.address.host or resource.resource_name.startswith("ASRL")) else _PIECE
        )
        try:
            with resource.ignore_warning(StatusCode.success_max_count_read, StatusCode.success_device_not_present):
                while len(got) < MOST_ANSWER and (not got or running_seconds() < until):
                    if size > 1 or len(got) % 64 == 0:
                        resource.timeout = max(1.0, 1000 * (until - running_seconds()))
                    try:
                        piece, status = resource.visalib.read(resource.session, size)
                    except VisaIOError as error:
                        held_up = error.error_code == StatusCode.error_timeout and until - running_seconds() > _HELD_UP
                        if size > 1 or not held_up:
                            raise
                        resource.timeout = 1000 * (until - running_seconds())
                        continue
                    got += piece
                    if status != StatusCode.success_max_count_read:
                        return bytes(got)
        finally:
            resource.timeout = self._seconds * 1000
        raise DeviceError(
            "garbage",
            f"The {self.what} at {self.address.shown} began an answer ({shortened(got[:80].decode('latin-1'))}) and "
            f"did not end it within {plain(self._seconds)} s: check its language and its address, then go on.",
        )

    def _drain(self) -> None:
        assert self._resource is not None
        self._resource.timeout = 200
        until = running_seconds() + self._seconds
        with contextlib.suppress(Exception):
            while running_seconds() < until:
                self._resource.visalib.read(self._resource.session, _PIECE)
        self._resource.timeout = self._seconds * 1000


def _busy(shown: str, error: Exception) -> DeviceError:
    return DeviceError("busy", f"{shown} is in use by another program: close that one, then try again.")
