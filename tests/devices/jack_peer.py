"""The other side of JACK's ports, in a process of its own: sings 220 Hz, and prints what MIDI it hears.

`unregister` on standard input takes its MIDI port away; the end of it ends the process.
"""

from __future__ import annotations

import os
import queue
import sys
import threading
import time

import jack
import numpy as np


def joined() -> jack.Client:
    """It takes a moment until the server is there."""
    for _ in range(300):
        try:
            return jack.Client("peer", servername=os.environ["JACK_DEFAULT_SERVER"], no_start_server=True)
        except jack.JackError:
            time.sleep(0.1)
    raise SystemExit("no server")


client = joined()
source, tone = client.midi_inports.register("in"), client.outports.register("tone")
listens = client.inports.register("heard")
stands = np.zeros(1)
heard: queue.SimpleQueue[str] = queue.SimpleQueue()
listening = threading.Event()
listening.set()
turn = np.zeros(1)


@client.set_process_callback
def process(frames: int) -> None:
    if listening.is_set():
        for _, data in source.incoming_midi_events():
            heard.put(bytes(data).hex())
    stands[0] = listens.get_array()[-1]
    step = 2.0 * np.pi * 220.0 / client.samplerate
    tone.get_array()[:] = 0.3 * np.sin(turn[0] + step * np.arange(frames))
    turn[0] = (turn[0] + step * frames) % (2.0 * np.pi)


def tell() -> None:
    while True:
        print(heard.get(), flush=True)


client.activate()
threading.Thread(target=tell, daemon=True).start()
heard.put("ready")


def strange(**kind: bool) -> jack.Port:
    """Somebody else's port; it takes a moment until it is there."""
    for _ in range(150):
        for one in client.get_ports(is_audio=True, **kind):
            if not one.name.startswith(("system", "peer")):
                return one
        time.sleep(0.1)
    raise SystemExit("nobody is there")


for line in sys.stdin:
    if line.strip() == "unregister":
        listening.clear()
        threading.Event().wait(0.05)
        source.unregister()
        heard.put("gone")
    elif line.strip() == "connect":
        client.connect(tone, strange(is_input=True))
        heard.put("connected")
    elif line.strip() == "listen":
        client.connect(strange(is_output=True), listens)
        heard.put("listening")
    elif line.strip() == "sample":
        heard.put(f"sample {stands[0]:.4f}")
os._exit(0)
