"""An oscillator that is trimmed by ear of the computer: who plays each step, and who listens meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dynamis.bench.document.records import RunRecord
from dynamis.devices.by_hand import Hand
from dynamis.devices.interface import DeviceError
from dynamis.devices.sound.meter import SoundMeter
from dynamis.devices.taking import Control
from dynamis.errors import InputError
from dynamis.ui.course import CourseRunner

# How far the trimmers of the simulated voice go either way: octaves, and a share of its scale.
_SIMULATED = {"tune": 0.5, "scale": 0.06}


@dataclass(frozen=True)
class Listening:
    """sound : what listens.  play : lets a note be played, by what was chosen to play the run, and is given who is told
    why it cannot.  rest : nothing is
    played any more.  turn : turns a trimmer of the simulated voice, from -1 to 1; None where nothing is simulated.
    by : who plays, in words."""

    sound: SoundMeter
    play: Callable[[float, Callable[[str], None]], None]
    rest: Callable[[], None]
    turn: Callable[[str, float], None] | None
    by: str


def listening_for(course: CourseRunner, run: RunRecord) -> Listening:
    """Raises `InputError` where nobody plays, or nobody listens."""
    devices, sound = course.devices, course.devices.sound
    if not isinstance(sound, SoundMeter):
        raise InputError("Connect the sound of the voice first; the Devices page (Ctrl+D) asks for its input.")
    kind, _ = course.chosen(run)
    if kind == "hand":
        raise InputError("Choose what plays this run beside its readings: by hand nobody here plays a note.")
    why = course.why_not(run)
    if why:
        raise InputError(why)
    if devices.busy:
        raise InputError("Something is under way already; pause or cancel it first.")
    player = course.player(run, Hand(Control(), lambda question: None))
    begun: list[bool] = []

    def play(note: float, failed: Callable[[str], None]) -> None:
        def work() -> None:
            try:
                if not begun:
                    player.recover()
                    begun.append(True)
                player.play(note)
            except DeviceError as error:
                reason = str(error)
                begun.clear()
                devices.show(lambda: failed(reason))

        devices.do(work)

    def rest() -> None:
        def work() -> None:
            try:
                player.make_safe()
            except DeviceError as error:
                devices.said.emit(str(error), True)

        devices.do(work)

    def turn(key: str, share: float) -> None:
        if key in _SIMULATED:
            course.simulated.do(f"voice {key}", share * _SIMULATED[key])

    return Listening(sound, play, rest, turn if course.simulated.running else None, player.identity)
