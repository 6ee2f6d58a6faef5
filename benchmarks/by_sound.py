"""A run by sound of 61 notes, played and heard by itself on the stand-ins.

    .venv/bin/python benchmarks/by_sound.py [--ports]

By the stand-ins' own clock, or with --ports over their real ports in real time: a raw MIDI port plays, a WAV that never
ends is heard.  Prints the seconds, and what the readings are off by against what the voice truly played.
"""

from __future__ import annotations

import sys
import time

import numpy as np

from dynamis.bench.document.records import InstrumentRecord, RunRecord
from dynamis.bench.runs.analysis import analyse
from dynamis.demo.hidden import BOARD_LAW, DESIGN_NAME, lantern_world, shipped
from dynamis.demo.lantern import CHANNEL_A, PROFILE
from dynamis.demo.standins import LanternStandins
from dynamis.devices.midi.ports import open_output
from dynamis.devices.players import BoardPlayer, MidiPlayer
from dynamis.devices.sound.inputs import open_sound
from dynamis.devices.sound.meter import SoundMeter
from dynamis.devices.standins.board_logic import BoardDesign
from dynamis.devices.standins.direct import DirectBoard
from dynamis.devices.standins.sound import DirectSound, SimulatedSound
from dynamis.devices.taking import Control, Taken, job_of, take_readings

SOUND = InstrumentRecord("line-in", "Line in", kind="sound", ppm=50.0, resolution_hertz=1e-4)
RUN = RunRecord(
    "by-sound",
    "By sound",
    CHANNEL_A.gear,
    "03",
    CHANNEL_A.port,
    "",
    BOARD_LAW,
    PROFILE,
    "hertz",
    SOUND,
    "oscillator",
    plan=tuple(float(note) for note in range(36, 97)),
)


class Clock:
    """Seconds that pass only when somebody waits."""

    def __init__(self) -> None:
        self.seconds = 0.0

    def sleep(self, seconds: float) -> None:
        self.seconds += seconds


def main() -> int:
    """Take the run and print what it took."""
    off: list[float] = []
    said: list[float] = []
    clock, ports = Clock(), "--ports" in sys.argv
    lantern = LanternStandins(seed=5) if ports else None
    if lantern is not None:
        world = lantern.world
        player: MidiPlayer | BoardPlayer = MidiPlayer(lambda: open_output(lantern.midi.path), 1)
        meter = SoundMeter(lambda: open_sound(lantern.sound.address), clock_ppm=12.0)
    else:
        world = lantern_world(5, lambda: clock.seconds)
        board = DirectBoard(BoardDesign(DESIGN_NAME, "03", "AB", 12, shipped()), world)
        player = BoardPlayer(board, "A", "03")
        sound = SimulatedSound(world, seed=8)
        meter = SoundMeter(lambda: DirectSound(sound, clock.sleep), clock_ppm=12.0)

    def store(taken: Taken) -> None:
        true = np.mean([world.voice_hertz() for _ in range(30)])  # its jack is noisy; the mean is what is heard
        off.append(1200.0 * np.log2(taken.shown.value / true))
        said.append(1200.0 / np.log(2.0) * taken.shown.deviation / taken.shown.value)

    begun, control = time.monotonic(), Control()
    take_readings(
        job_of(analyse(RUN, [])),
        player,
        meter,
        control=control,
        store=store,
        tell=lambda progress: print(progress.sentence) if progress.sentence else None,
        sleep=None if ports else clock.sleep,
    )
    took = time.monotonic() - begun
    if lantern is not None:
        player.close()
        meter.close()
        lantern.close()
    print(
        f"{len(off)} readings in {took if ports else clock.seconds:.1f} s by the stand-ins' clock, {took:.1f} s of ours"
    )
    print(f"off by {np.sqrt(np.mean(np.square(off))):.4f} ct rms, {np.max(np.abs(off)):.4f} ct at worst")
    print(f"said of themselves: {np.sqrt(np.mean(np.square(said))):.4f} ct rms (standard)")
    return 0


if __name__ == "__main__":
    sys.exit(main())
