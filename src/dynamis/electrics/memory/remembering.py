"""A circuit that remembers as it stands between: of gain 1 at rest, with a course in time of its own."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Final

from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.memory.kinds import KINDS, Kind, WhenOff
from dynamis.electrics.part import DIODE_VOLTS, Part
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.breakpoints import Breakpoints
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.registry import REGISTRY, StoredTransfer

KIND: Final = "remembering"
# Of a maximum or minimum, the other signal that is ground: a rectifier.
GROUND: Final = "ground"
# Of an analog switch and a board that is clean; common practice, no source.
SWITCH_LEAK_AMPERES: Final = 1e-9
# The input of a follower with JFETs, so far above what drives it that it counts for nothing.
_FOLLOWER_OHMS: Final = 1e12
_ON_VOLTS, _OFF_VOLTS = 2.5, 2.0


@dataclass(frozen=True)
class Remembering(Stage):
    """kind : by name.  by : the port that clocks or gates it, or the other signal, as gear/port; "" for none yet,
    `GROUND` for 0 V.

    seconds of a hold while it follows, or of a glide: ohms times farads.  leak_amperes : out of the capacitor.
    """

    kind: str = "glide"
    ohms: float = 0.0
    farads: float = 0.0
    leak_amperes: float = SWITCH_LEAK_AMPERES
    when_off: WhenOff = "grounded"
    by: str = ""
    supply: Supply = Supply()
    op_amp: str = "jfet"

    @property
    def rectifies(self) -> bool:
        """Whether it is a maximum or minimum with ground."""
        return bool(self.of.diodes) and self.by == GROUND

    @property
    def of(self) -> Kind:
        return KINDS[self.kind]

    @property
    def holds(self) -> bool:
        """Whether a capacitor alone carries the volts while nothing drives it."""
        return self.kind == "sample-and-hold" or (self.kind == "gated-pitch" and self.when_off == "held")

    @property
    def lets_go(self) -> bool:
        """Whether its output comes down to 0 V when the gate does."""
        return self.kind == "gated-pitch" and self.when_off != "held" and bool(self.by)

    @property
    def floats(self) -> bool:
        return self.kind == "gated-pitch" and self.when_off == "open"

    @property
    def tau_seconds(self) -> float:
        return self.ohms * self.farads

    @property
    def droop_volts_per_second(self) -> float:
        """How fast what is held sinks: i = C dV/dt."""
        return self.leak_amperes / self.farads if self.holds else 0.0

    def settles_seconds(self, within_share: float) -> float:
        """Until a jump is made but for a share of it: tau ln(1/share)."""
        return self.tau_seconds * math.log(1.0 / within_share)

    @property
    def parts(self) -> tuple[Part, ...]:
        """Everything in it, in the order from the sender on."""
        kind, supply = self.of, self.supply
        words = f"{OP_AMPS[self.op_amp].title}, {'rectifier' if kind.diodes else 'follower'}"
        amplifiers = [Part(f"U{k + 1}", None, words, supply.high, supply.low) for k in range(kind.followers)]
        if self.rectifies:
            amplifiers[1] = Part("U2", None, f"{OP_AMPS[self.op_amp].title}, follower", supply.high, supply.low)
            diode = Part("D1", None, "small signal diode, in the loop of U1")
            return (amplifiers[0], diode, Part("R1", self.ohms, "to ground"), amplifiers[1])
        if kind.diodes:
            amplifiers[-1] = Part(
                f"U{kind.followers}", None, f"{OP_AMPS[self.op_amp].title}, follower", supply.high, supply.low
            )
            rail = supply.low if self.kind == "maximum" else supply.high
            pull = Part("R1", self.ohms, "to ground" if not rail else f"to the {'−' if rail < 0 else '+'} rail", rail)
            diodes = [Part(f"D{k + 1}", None, "small signal diode, in the loop of U" + str(k + 1)) for k in range(2)]
            return (amplifiers[0], diodes[0], amplifiers[1], diodes[1], pull, amplifiers[2])
        capacitor = Part("C1", None, "holds" if self.holds else "to ground", farads=self.farads)
        switch = Part("S1", None, f"analog switch, closed while the {kind.driven_by} is up")
        if self.kind == "glide":
            return (amplifiers[0], Part("R1", self.ohms, "sets the time"), capacitor, amplifiers[1])
        if self.holds:
            ahead = amplifiers[:1] if self.kind == "sample-and-hold" else []
            return (*ahead, switch, Part("R1", self.ohms, "spares the one ahead"), capacitor, amplifiers[-1])
        if self.floats:
            return (switch, Part("R1", self.ohms, "lets it down"), capacitor, amplifiers[0])
        return (switch, Part("S2", None, "analog switch, to ground while the gate is down"), amplifiers[0])

    def respond(self, signal: Breakpoints, driven: Breakpoints | None = None) -> Breakpoints:
        """What comes out in time.  driven : the clock, gate or other signal; asked for by all but a glide."""
        # What it does in time is asked for on Circuit only, not for a verdict.
        from dynamis.electrics.signals.shaping import Extreme, Glide
        from dynamis.electrics.signals.switching import Comparator, GatedPitch, SampleHold

        if self.kind == "glide":
            return Glide(self.ohms, self.farads).respond(signal, NOMINAL)
        if driven is None:
            raise InputError(f"{self.of.title} needs its {self.of.driven_by} besides its signal.")
        if self.of.diodes:
            return Extreme("maximum" if self.kind == "maximum" else "minimum", driven).respond(signal, NOMINAL)
        control = Comparator(_ON_VOLTS, _OFF_VOLTS)
        if self.holds:
            return SampleHold(driven, control, self.tau_seconds, self.droop_volts_per_second).respond(signal, NOMINAL)
        off = "floating" if self.floats else "grounded"
        return GatedPitch(driven, control, off, self.tau_seconds).respond(signal, NOMINAL)  # type: ignore[arg-type]

    def stored(self) -> StoredTransfer:
        bare = remembering(self.id, self.kind)
        values: dict[str, Any] = {
            "kind": self.kind,
            "supply": [self.supply.low, self.supply.high],
            "op_amp": self.op_amp,
        }
        for key in _STORED:
            if getattr(self, key) != getattr(bare, key):
                values[key] = getattr(self, key)
        return StoredTransfer(KIND, 1, values)


_STORED: Final = ("ohms", "farads", "leak_amperes", "when_off", "by")


def remembering(
    transfer_id: str,
    kind: str,
    supply: Supply = Supply(),
    op_amp: str = "jfet",
    *,
    ohms: float | None = None,
    farads: float | None = None,
    leak_amperes: float | None = None,
    when_off: WhenOff = "grounded",
    by: str = "",
) -> Remembering:
    """A circuit of a kind; values that are not given are those to begin with.

    Raises InputError for a kind, an op-amp or a value that makes none.
    """
    if kind not in KINDS or op_amp not in OP_AMPS:
        raise InputError(
            f"A circuit that remembers is a {kind!r} with a {op_amp!r} op-amp; one of {', '.join(KINDS)} with "
            f"{', '.join(OP_AMPS)} was expected."
        )
    if when_off not in ("held", "grounded", "open"):
        raise InputError(f"When it is off it is {when_off!r}; held, grounded or open was expected.")
    of, amplifier = KINDS[kind], OP_AMPS[op_amp]
    if ohms is None:
        ohms = KINDS["sample-and-hold"].ohms if kind == "gated-pitch" and when_off == "held" else of.ohms
    farads = of.farads if farads is None else farads
    leak = SWITCH_LEAK_AMPERES + amplifier.bias_amperes if leak_amperes is None else leak_amperes
    for words, value, least in (("resistor", ohms, of.ohms), ("capacitor", farads, of.farads), ("leak", leak, 0.0)):
        if not math.isfinite(value) or value < 0 or (least and not value):
            raise InputError(f"The {words} of a {of.title.lower()} is {plain(value)}; more than 0 was expected.")
    low, high = amplifier.swing(supply)
    # A rectifier's output stands a diode beyond what it passes.
    low, high = low + DIODE_VOLTS * (kind == "minimum"), high - DIODE_VOLTS * (kind == "maximum")
    if of.diodes and by == GROUND:
        low, high = (max(low, 0.0), high) if kind == "maximum" else (low, min(high, 0.0))
    drops = amplifier.bias_amperes * ohms if kind == "glide" else 0.0
    return Remembering(
        transfer_id,
        offset_limit_volts=of.offset_followers * amplifier.offset_limit_volts + drops,
        in_ohms=ohms if kind == "gated-pitch" and when_off == "open" else _FOLLOWER_OHMS,
        low_volts=low,
        high_volts=high,
        label=f"the {of.title.lower()}",
        kind=kind,
        ohms=ohms,
        farads=farads,
        leak_amperes=leak,
        when_off=when_off,
        by=by,
        supply=supply,
        op_amp=op_amp,
    )


def _make(transfer_id: str, values: dict[str, Any]) -> Remembering:
    known = {key: values[key] for key in _STORED if key in values}
    return remembering(
        transfer_id, values["kind"], Supply(*values.get("supply", (-12.0, 12.0))), values.get("op_amp", "jfet"), **known
    )


REGISTRY.register(KIND, 1, _make)
