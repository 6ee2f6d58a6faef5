"""The simulated bench: what really stands at the jacks, by the same chain that judges, with hidden true values.

Every true value (reference, offset, linearity, resistances, drift, noise) is data given from outside; the
clock is handed in and the generator is seeded.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np

from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.devices.standins.interface import SimulatedInterface
from dynamis.electrics.net import Net, Terminal
from dynamis.errors import InputError
from dynamis.transfer.law import Oscillator
from dynamis.transfer.parameter import World

SETTLING_SECONDS: Final = 0.015  # time constant of an output
WARMING_MINUTES: Final = 8.0  # time constant of a board's case
WARMING_KELVIN: Final = 12.0


@dataclass(frozen=True)
class HiddenChannel:
    """What is true of one channel of one unit.

    reference : of the converter, as a fraction off nominal.  offset_volts : at the jack.
    inl_lsb : one value a code, or None.  ppm_per_kelvin : drift of the reference.  output_ohms : of the jack.
    """

    reference: float = 0.0
    offset_volts: float = 0.0
    inl_lsb: tuple[float, ...] | None = None
    ppm_per_kelvin: float = 0.0
    output_ohms: float = 1000.0
    noise_volts: float = 0.0


@dataclass(frozen=True)
class HiddenUnit:
    """One specimen: its channels by letter."""

    serial: str
    channels: Mapping[str, HiddenChannel]


@dataclass(frozen=True)
class Loads:
    """What hangs on a channel's jack when it is plugged: input resistances by name, and who sounds."""

    ohms: Mapping[str, float] = field(default_factory=dict)
    voice: Oscillator | None = None
    voice_world: World = field(default_factory=World)


class SimulatedWorld:
    """One board with its unit, what is plugged into it, and a probe on one of its jacks.

    unit, plugged, probe, warm_minutes may be changed at any time, as hands on a bench would.
    probe : a channel's letter (the jack), "voice" (the oscillator), "known" (the known voltage), "source", or
    "interface". voice_hears : "A", "source", or "interface": the jack `interface_jack`, from 0, of an audio interface.
    source_volts : what the source gives, None while its output is let go. known_volts : where the switch of the known
    voltage stands; that is what it gives.
    """

    def __init__(
        self,
        dac: Dac,
        units: Mapping[str, HiddenUnit],
        loads: Mapping[str, Loads],
        *,
        unit: str,
        seed: int,
        clock: Callable[[], float],
        warm_minutes: float = 0.0,
        celsius: float = 24.0,
    ) -> None:
        self._dac, self._units, self._loads = dac, units, loads
        self._clock = clock
        self._generator = np.random.default_rng(seed)
        self._lock = threading.RLock()
        self._since = clock() - warm_minutes * 60.0
        self._celsius = celsius
        self._converters: dict[tuple[str, str], tuple[DacTransfer, HiddenChannel]] = {}
        for serial, made in units.items():
            for letter, hidden in made.channels.items():
                true = replace(dac, inl_lsb=hidden.inl_lsb)
                self._converters[serial, letter] = (
                    DacTransfer(
                        "truth", true, reference_limit=1.0, offset_limit_volts=1.0, reference_ppm_per_kelvin=1.0
                    ),
                    hidden,
                )
        self.unit = unit
        self.probe = "A"
        self.plugged = False
        self.voice_hears = "A"
        self.voice_tune, self.voice_scale = 0.0, 0.0
        self.interface: SimulatedInterface | None = None
        self.interface_jack = 0
        self.source_volts: float | None = None
        self.known_volts = 0.0
        self._codes: dict[str, tuple[int, float, float]] = {}
        for letter in units[unit].channels:
            self._codes[letter] = (0, self._open_volts(letter, 0), clock())

    @property
    def channels(self) -> str:
        return "".join(self._units[self.unit].channels)

    def plug_in(self, serial: str) -> None:
        """Put another unit on the table; it comes up with its outputs at rest."""
        if serial not in self._units:
            raise InputError(f"There is no unit {serial} here; there are {', '.join(self._units)}.")
        with self._lock:
            self.unit = serial
            for letter in self._units[serial].channels:
                self.put_out(letter, 0)

    def cool_down(self, warm_minutes: float = 0.0) -> None:
        """As if the board had been on for so many minutes only."""
        self._since = self._clock() - warm_minutes * 60.0

    def put_out(self, letter: str, code: int) -> None:
        """The board sets a code; the jack follows with its time constant."""
        with self._lock:
            now = self._clock()
            self._codes[letter] = (code, self._settling(letter, now), now)

    def code(self, letter: str) -> int:
        return self._codes[letter][0]

    def celsius(self) -> float:
        """The board's temperature now."""
        minutes = (self._clock() - self._since) / 60.0
        return float(self._celsius + WARMING_KELVIN * (1.0 - np.exp(-minutes / WARMING_MINUTES)))

    def _open_volts(self, letter: str, code: int) -> float:
        converter, hidden = self._converters[self.unit, letter]
        # Trimmed values hold for a board that is warm; the drift is counted from there.
        kelvin = self.celsius() - (self._celsius + WARMING_KELVIN)
        world = World(
            {
                "truth.reference": hidden.reference + hidden.ppm_per_kelvin * 1e-6 * kelvin,
                "truth.offset": hidden.offset_volts,
            }
        )
        return float(converter.forward(np.array([float(code)]), world)[0])

    def _settling(self, letter: str, now: float) -> float:
        code, before, since = self._codes.get(letter, (0, 0.0, now))
        target = self._open_volts(letter, code)
        return target + (before - target) * float(np.exp(-max(0.0, now - since) / SETTLING_SECONDS))

    def jack_volts(self, letter: str, meter_ohms: float | None = None) -> float:
        """Volts at a jack now, as it is plugged, with a meter on it or without."""
        with self._lock:
            hidden = self._converters[self.unit, letter][1]
            volts = self._settling(letter, self._clock())
            sinks = dict(self._loads[letter].ohms) if self.plugged and letter in self._loads else {}
            if meter_ohms is not None:
                sinks["meter"] = meter_ohms
            terminals = [Terminal("out", "jack", hidden.output_ohms, True)]
            terminals += [Terminal(name, name, ohms, False) for name, ohms in sinks.items()]
            node = Net("node", tuple(terminals)).solve({"out": volts}, World())
            return float(node["out"]) + float(self._generator.normal(0.0, hidden.noise_volts))

    def probe_volts(self, meter_ohms: float) -> float:
        """Volts where the probe is; nothing is known of a voice in volts, it reads as 0."""
        elsewhere = {"voice": 0.0, "known": self.known_volts, "source": self.source_volts or 0.0}
        if self.probe == "interface" and self.interface is not None:
            ohms = self.interface.output_ohms(self.interface_jack)
            return self.interface.jack_volts(self.interface_jack) * meter_ohms / (meter_ohms + ohms)
        return elsewhere[self.probe] if self.probe in elsewhere else self.jack_volts(self.probe, meter_ohms)

    def probe_hertz(self) -> float | None:
        """The frequency of the voice; None where the probe is not on it."""
        return self.voice_hertz() if self.probe == "voice" else None

    def voice_hertz(self) -> float | None:
        """What the voice plays by what it hears; None where there is none."""
        load = self._loads.get("A")
        if load is None or load.voice is None:
            return None
        with self._lock:
            octaves, at_rest = load.voice.forward(np.array([self._heard_volts(), 0.0]), load.voice_world)
            # Its scale turns about what 0 V plays.
            turned = at_rest + (1.0 + self.voice_scale) * (octaves - at_rest) + self.voice_tune
            return float(np.exp2(turned))

    def _heard_volts(self) -> float:
        """What stands at the voice's input."""
        if self.voice_hears == "A":
            return self.jack_volts("A")
        if self.voice_hears == "interface" and self.interface is not None:
            open_volts = self.interface.jack_volts(self.interface_jack)
            ohms = next(iter(self._loads["A"].ohms.values()), math.inf)
            return open_volts * ohms / (ohms + self.interface.output_ohms(self.interface_jack))
        return self.source_volts or 0.0

    def true_volts(self, letter: str, code: int) -> float:
        """What a code makes at the jack once it has settled, without load and noise: for judging the judge."""
        with self._lock:
            return self._open_volts(letter, code)

    def true_levels(self, letter: str) -> Dac:
        """The converter with the levels that this channel of the unit really has, reference and offset included."""
        converter, hidden = self._converters[self.unit, letter]
        dac = converter.dac
        gain = dac.gain * (1.0 + hidden.reference)
        return replace(dac, gain=gain, offset_volts=dac.offset_volts + hidden.offset_volts)
