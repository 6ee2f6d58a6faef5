"""The Lantern House's instruments at their ports, run beside the window: `python -m dynamis.demo.standins`."""

from __future__ import annotations

import json
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final, Literal

import msgspec

from dynamis.converter.firmware import BoardCorrection
from dynamis.demo.hidden import BOARD_DAC, DESIGN_NAME, INTERFACE_JACK, lantern_interface, lantern_world, shipped
from dynamis.devices.standins.board_logic import BoardDesign, BoardLogic
from dynamis.devices.standins.counter_model import CounterModel
from dynamis.devices.standins.meter_model import RANGES, MeterModel
from dynamis.devices.standins.midi_converter import MidiConverter
from dynamis.devices.standins.servers import BoardPort, InstrumentServer, InterfaceServer, MidiPort, SoundServer
from dynamis.devices.standins.sound import SimulatedSound
from dynamis.devices.standins.source_model import SourceModel
from dynamis.errors import InputError
from dynamis.files.text import read_bytes
from dynamis.files.writing import write_whole

# Where the known voltage can be switched to.
KNOWN_VOLTS: Final = tuple(float(volts) for volts in range(11))
# By unit and channel, what a board holds.
_STATE: Final = dict[str, dict[str, tuple[Literal["E", "L"], int, int, int, tuple[int, ...]]]]


class LanternStandins:
    """The instruments of the Lantern House at their ports, and the hands that do things to them."""

    def __init__(
        self,
        seed: int = 1,
        clock: Callable[[], float] = time.monotonic,
        state: Path | None = None,
        warm_minutes: float = 60.0,
    ) -> None:
        self.world = lantern_world(seed, clock, warm_minutes)
        self._state = state
        self.notice = ""  # what became of the state on the way in, empty where nothing did
        self.logics = {
            unit: BoardLogic(
                BoardDesign(DESIGN_NAME, unit, "AB", BOARD_DAC.bits, shipped()), on_code=self._code_for(unit)
            )
            for unit in ("02", "03")
        }
        self._recall()
        self.board = BoardPort(self.logics[self.world.unit], clock)
        self.meter_model = MeterModel(self.world, seed=seed + 1)
        self.meter = InstrumentServer(self.meter_model)
        self.source = InstrumentServer(SourceModel(self.world, seed=seed + 2))
        self.counter = InstrumentServer(CounterModel(self.world))
        self.sound = SoundServer(SimulatedSound(self.world, seed=seed + 3), clock)
        self.midi = MidiPort(MidiConverter(self.logics[self.world.unit]))
        self.world.interface = lantern_interface()
        self.world.interface_jack = INTERFACE_JACK
        self.interface = InterfaceServer(self.world.interface)

    def _code_for(self, unit: str) -> Callable[[str, int], None]:
        def put_out(channel: str, code: int) -> None:
            if self.world.unit == unit:
                self.world.put_out(channel, code)

        return put_out

    def close(self) -> None:
        self._remember()
        for one in (self.board, self.meter, self.source, self.counter, self.sound, self.midi, self.interface):
            one.close()

    # What a board holds lives through a loss of power; so it does here, where a file is given.
    def _recall(self) -> None:
        if self._state is None or not self._state.exists():
            return
        try:
            held = msgspec.json.decode(read_bytes(self._state), type=_STATE)
            found = {
                (unit, channel): BoardCorrection(law, base, scale, first, entries)
                for unit, channels in held.items()
                for channel, (law, base, scale, first, entries) in channels.items()
                if unit in self.logics and channel in self.logics[unit].held
            }
        except (msgspec.MsgspecError, InputError, RecursionError) as error:
            self.notice = f"What the simulated boards held could not be read ({error}); they start as shipped."
            return
        for (unit, channel), one in found.items():
            self.logics[unit].held[channel] = one

    def _remember(self) -> None:
        if self._state is None:
            return
        held = {
            unit: {
                channel: (one.law, one.base, one.scale, one.first_note, one.sixteenths)
                for channel, one in logic.held.items()
            }
            for unit, logic in self.logics.items()
        }
        write_whole(self._state, json.dumps(held))

    # -- hands -------------------------------------------------------------------------------------

    def do(self, what: str, value: Any = None) -> None:
        """One thing done to the bench or to a device; raises `InputError` for what cannot be done."""
        hands = _HANDS.get(what)
        if hands is None:
            raise InputError(f"Nothing here is called {what!r}; there are {', '.join(_HANDS)}.")
        hands(self, value)

    def _unit(self, serial: str) -> None:
        self.world.plug_in(serial)
        self.board.logic = self.midi.converter.logic = self.logics[serial]
        self.board.restart()

    def _plugged(self, plugged: bool) -> None:
        self.world.plugged = bool(plugged)

    def _probe(self, place: str) -> None:
        places = (*self.world.channels, "voice", "known", "source", "interface")
        if place not in places:
            raise InputError(f"The probe cannot be put on {place!r}; there are {', '.join(places)}.")
        self.world.probe = place

    def _warm(self, minutes: float) -> None:
        self.world.cool_down(float(minutes))

    def _meter_lead(self, pulled: bool) -> None:
        (self.meter.unplug if pulled else self.meter.plug_in)()

    def _meter_silent(self, silent: bool) -> None:
        self.meter.faults.silent = bool(silent)

    def _meter_late(self, seconds: float) -> None:
        self.meter.faults.late_seconds = float(seconds)

    def _meter_says(self, answers: list[str]) -> None:
        self.meter.faults.answers = [str(answer) for answer in answers]

    def _voice_hears(self, what: str) -> None:
        if what not in ("A", "source", "interface"):
            raise InputError(f"The voice cannot hear {what!r}; there are A, source and interface.")
        self.world.voice_hears = what

    def _voice_tune(self, octaves: float) -> None:
        self.world.voice_tune = float(octaves)

    def _voice_scale(self, share: float) -> None:
        self.world.voice_scale = float(share)

    def _coupled(self, corner_hertz: float | None) -> None:
        assert self.world.interface is not None
        self.world.interface.couple(INTERFACE_JACK, None if not corner_hertz else float(corner_hertz))

    def _swapped(self, swapped: bool) -> None:
        interface = self.world.interface
        assert interface is not None
        stands = interface.channel_of[INTERFACE_JACK] > interface.channel_of[INTERFACE_JACK + 1]
        if bool(swapped) != stands:
            interface.swap(INTERFACE_JACK, INTERFACE_JACK + 1)

    def _known(self, volts: float) -> None:
        if volts not in KNOWN_VOLTS:
            raise InputError(f"The known voltage cannot be switched to {volts!r} V.")
        self.world.known_volts = float(volts)

    def _lead(self, which: str, pulled: bool) -> None:
        one: InstrumentServer | SoundServer | MidiPort | InterfaceServer = getattr(self, which)
        (one.unplug if pulled else one.plug_in)()

    def _sound_level(self, level: float) -> None:
        self.sound.sound.level = float(level)

    def _sound_silent(self, silent: bool) -> None:
        self.sound.sound.silent = bool(silent)

    def _sound_rate(self, rate: float) -> None:
        self.sound.sound.really = float(rate)

    def _meter_function(self, function: str) -> None:
        self.meter_model.function = function

    def _meter_range(self, volts: float) -> None:
        self.meter_model.range = next(spec for spec in RANGES if spec.full_scale_volts == volts)

    def _board_restart(self, _: Any) -> None:
        self.board.restart()

    def _board_damage(self, lines: int) -> None:
        self.board.damage = int(lines)

    def _board_mute(self, mute: bool) -> None:
        self.board.mute = bool(mute)

    def _board_tear(self, _: Any) -> None:
        self.board.logic.tear_next = True

    def addresses(self) -> dict[str, str]:
        """Where each of them answers."""
        return {
            "board": self.board.path,
            "meter": self.meter.address,
            "source": self.source.address,
            "counter": self.counter.address,
            "sound": self.sound.address,
            "midi": self.midi.path,
            "outputs": self.interface.address,
        }

    def state(self) -> dict[str, Any]:
        """What can be seen with the eyes: which unit is in, what is plugged and connected, where the probe is, the
        codes."""
        world = self.world
        logic = self.board.logic
        held = {channel: one.hash for channel, one in logic.held.items()}
        return {
            "unit": world.unit,
            "plugged": world.plugged,
            "probe": world.probe,
            "hears": world.voice_hears,
            "known": world.known_volts,
            "codes": dict(logic.codes),
            "held": held,
            "connected": {"board": logic.greeted, "meter": self.meter.connected},
        }


_HANDS: Final[dict[str, Callable[[LanternStandins, Any], None]]] = {
    "unit": LanternStandins._unit,
    "plugged": LanternStandins._plugged,
    "probe": LanternStandins._probe,
    "voice hears": LanternStandins._voice_hears,
    "voice tune": LanternStandins._voice_tune,
    "voice scale": LanternStandins._voice_scale,
    "known volts": LanternStandins._known,
    "warm minutes": LanternStandins._warm,
    "source lead pulled": lambda made, pulled: made._lead("source", pulled),
    "midi lead pulled": lambda made, pulled: made._lead("midi", pulled),
    "interface lead pulled": lambda made, pulled: made._lead("interface", pulled),
    "interface coupled": LanternStandins._coupled,
    "interface swapped": LanternStandins._swapped,
    "sound lead pulled": lambda made, pulled: made._lead("sound", pulled),
    "sound level": LanternStandins._sound_level,
    "sound silent": LanternStandins._sound_silent,
    "sound rate": LanternStandins._sound_rate,
    "meter lead pulled": LanternStandins._meter_lead,
    "meter silent": LanternStandins._meter_silent,
    "meter late": LanternStandins._meter_late,
    "meter says": LanternStandins._meter_says,
    "meter function": LanternStandins._meter_function,
    "meter range": LanternStandins._meter_range,
    "board restart": LanternStandins._board_restart,
    "board damage": LanternStandins._board_damage,
    "board mute": LanternStandins._board_mute,
    "board tear": LanternStandins._board_tear,
    "look": lambda made, value: None,
}


def main() -> int:
    """Serve until standard input ends.

    The first line out has the addresses; each line in, `{"do": …, "value": …}`, is answered by one line.
    """
    state = Path(sys.argv[1]) if len(sys.argv) > 1 else None
    lantern_standins = LanternStandins(state=state)
    lock = threading.Lock()

    def say(answer: dict[str, Any]) -> None:
        with lock:
            print(json.dumps(answer), flush=True)

    say({**lantern_standins.addresses(), **lantern_standins.state()})
    if lantern_standins.notice:
        say({"error": lantern_standins.notice})
    try:
        for line in sys.stdin:
            try:
                request = json.loads(line)
                lantern_standins.do(request["do"], request.get("value"))
                say(lantern_standins.state())
            except (InputError, ValueError, KeyError, TypeError, StopIteration) as error:
                say({"error": str(error)})
    finally:
        lantern_standins.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
