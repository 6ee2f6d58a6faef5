"""What is done at the ports of a JACK server, in a process of its own: its library keeps what it has once seen of a machine's
servers, so that each server needs a process that has seen none.

`python jack_carried.py` ends with 0 where everything was as it should be; the server is that of JACK_DEFAULT_SERVER.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import threading
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).resolve().parents[2]))
from tests.timing import until

from dynamis.converter.playing.generators import Generator
from dynamis.devices.interface import DeviceError
from dynamis.devices.midi.ports import open_output, outputs
from dynamis.devices.players import MidiPlayer
from dynamis.devices.sound.inputs import open_sound, sounds
from dynamis.devices.sound.meter import SoundMeter
from dynamis.devices.sound.outputs import found_outputs, open_outputs


class Peer:
    """The other side of JACK's ports."""

    def __init__(self) -> None:
        script = str(Path(__file__).with_name("jack_peer.py"))
        self._process = subprocess.Popen(
            [sys.executable, script],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        self.heard: list[str] = []
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        for line in self._process.stdout:
            self.heard.append(line.strip())

    def ask(self, what: str, answer: str) -> None:
        self._process.stdin.write(what + "\n")
        self._process.stdin.flush()
        until(lambda: answer in self.heard, 15.0)

    def close(self) -> None:
        self._process.kill()
        self._process.communicate()


def hears(meter: SoundMeter) -> bool:
    """Whether anything comes through: JACK tells of a connection before it carries sound."""
    try:
        meter.read()
    except DeviceError as error:
        assert "Nothing is heard" in str(error)
        return False
    return True


def outputs_by_jack(jack: Peer) -> None:
    """A computer's outputs through PortAudio: held, followed, and at 0 when they are let go."""
    address = "audio:system, JACK Audio Connection Kit"
    assert address in found_outputs()[0]
    made = open_outputs(address, [10.0, 10.0], 5.0)

    made.confirm(True)
    made.set_volts(0, 2.5)
    jack.ask("listen", "listening")
    until(lambda: asked(jack) == 0.25, 15.0)
    made.play({0: Generator("offset", 0.0, -4.0)})
    until(lambda: asked(jack) == -0.4, 15.0)
    made.make_safe()
    until(lambda: asked(jack) == 0.0, 15.0)
    made.set_volts(0, 5.0)
    until(lambda: asked(jack) == 0.5, 15.0)
    made.close()
    refused = open_outputs(address, [10.0] * 9, 5.0)
    until(lambda: refused.trouble, 20.0)
    with pytest.raises(DeviceError, match="has 2 channels; 9 were asked for"):
        refused.alive()
    refused.close()


def asked(jack: Peer) -> float:
    """What the other side hears just now."""
    count = sum(one.startswith("sample") for one in jack.heard)
    jack._process.stdin.write("sample\n")
    jack._process.stdin.flush()
    until(lambda: sum(one.startswith("sample") for one in jack.heard) > count, 15.0)
    return float(next(one for one in reversed(jack.heard) if one.startswith("sample")).split()[1])


def carried_by_jack(jack: Peer) -> None:
    until(lambda: "jack:peer:in" in outputs()[0], 15.0)
    player = MidiPlayer(lambda: open_output("jack:peer:in"), 16)
    player.recover()
    player.play(69.0)
    until(lambda: "9f4564" in jack.heard, 15.0)
    player.make_safe()
    until(lambda: "bf7b00" in jack.heard, 15.0)
    jack.ask("unregister", "gone")
    with pytest.raises(DeviceError, match="peer:in is gone"):
        player.play(70.0)
    player.close()
    outputs_by_jack(jack)
    found, missing = sounds()
    assert missing == []
    assert "audio:system, JACK Audio Connection Kit" in found
    meter = SoundMeter(lambda: open_sound("audio:system, JACK Audio Connection Kit"))
    with pytest.raises(DeviceError, match="Nothing is heard"):
        meter.read()
    jack.ask("connect", "connected")
    until(lambda: hears(meter), 15.0)
    assert meter.read().value == pytest.approx(220.0, rel=2e-6)
    with pytest.raises(DeviceError, match="has 2 channels"):
        open_sound("audio:system, JACK Audio Connection Kit", 5)
    with pytest.raises(DeviceError, match="no input elsewhere"):
        open_sound("audio:elsewhere, JACK Audio Connection Kit")
    jack.server.kill()
    with pytest.raises(DeviceError, match=r"is gone|ended without a word|No samples have come"):
        meter.read()
    meter.close()


def clear_what_servers_left() -> None:
    """A machine has places for eight servers and some hundred clients, and those that were killed hold theirs."""
    if any(one.read_text() == "jackd\n" for one in Path("/proc").glob("[0-9]*/comm")):
        return
    for left in Path("/dev/shm").glob("jack*"):
        if left.owner() == Path.home().owner():
            shutil.rmtree(left) if left.is_dir() else left.unlink(missing_ok=True)


@contextlib.contextmanager
def jack_server(name: str):
    """A JACK server on its dummy driver, with somebody who sings and listens."""
    clear_what_servers_left()
    command = ["jackd", "--no-realtime", "-n", name, "-d", "dummy", "-r", "48000", "-p", "1024", "-C", "2", "-P", "2"]
    made = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    peer = Peer()
    try:
        until(lambda: "ready" in peer.heard or made.poll() is not None, 30.0)
        peer.server = made
        yield peer
    finally:
        peer.close()
        made.kill()
        made.wait(10)
        clear_what_servers_left()


if __name__ == "__main__":
    with jack_server(os.environ["JACK_DEFAULT_SERVER"]) as peer:
        carried_by_jack(peer)
    print("carried", flush=True)
    os._exit(0)  # what the library still waits for is not waited for
