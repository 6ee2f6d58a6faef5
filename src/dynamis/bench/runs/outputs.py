"""A run that a computer plays through its own outputs: which channel, and which volts for a note."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from dataclasses import replace as with_
from typing import Final

from msgspec.structs import replace

from dynamis.bench.chains.port_transfers import dac_if_known
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.checks import check_port
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import AudioRecord, Port, PortRef
from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.analysis import codes_of
from dynamis.calibration.learning.gain_offset import GainOffset
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.transfer.registry import StoredTransfer

# Less is not shown.
_LEAST_PERCENT: Final = 0.001
# A gain that is known no better is not worth keeping; 17 cents at one volt per octave.
_UNSURE: Final = 0.01


def output_channel(bench: Bench, run: RunRecord) -> int:
    """The channel that a run is played through, from 0: its own, or that of the computer's output joined with its
    input.

    Raises `InputError` where nobody said which it is.
    """
    senders = (
        [run.channel] if run.side == "output" else [one.output for one in bench.links if run.channel in one.inputs]
    )
    for ref in senders:
        audio = bench.port(ref).audio
        if audio is not None and audio.channel is not None:
            return audio.channel - 1
    label = bench.label(run.channel)
    if run.side == "output":
        raise InputError(f"{label} has no channel in programs: give it one.")
    raise InputError(f"No computer's output with a channel in programs is joined with {label}: join them first.")


def outputs_of_programs(bench: Bench) -> list[PortRef]:
    """Outputs of computers that have a channel in programs."""
    return [
        PortRef(gear.id, port.id)
        for gear in bench.gear
        if not gear.archived
        for port in gear.ports
        if port.direction == "output" and port.audio is not None and port.audio.channel is not None
    ]


def aim_of(run: RunRecord) -> tuple[Callable[[float], tuple[float, int | None]], float | None]:
    """(nominal volts and code of a note, the peak at full scale that they count on; None where they count on none)."""
    converter = dac_if_known("converter", run.converter)
    model = run.model
    if run.side == "output" and converter is not None:
        dac = converter.dac

        def by_code(note: float) -> tuple[float, int | None]:
            codes = codes_of(run, converter, [note])
            assert codes is not None  # the converter is known
            return float(dac.nominal_volts(codes[0])), int(codes[0])

        return by_code, float(dac.gain * dac.high_volts)

    def by_law(note: float) -> tuple[float, int | None]:
        return float(model.law.volts(model.tuning.octaves([note], model.law.reference_note))[0]), None

    return by_law, None


@dataclass(frozen=True)
class Scaling:
    """What a channel puts out: `offset_volts` for silence, and `full_scale_volts` more for a sample of 1."""

    full_scale_volts: float
    offset_volts: float = 0.0

    def found(self, by: GainOffset) -> Scaling:
        """What it is by a measurement through it."""
        gain = by.gain.value
        return Scaling(gain * self.full_scale_volts, by.offset_volts.value + gain * self.offset_volts)


def port_of_channel(bench: Bench, channel: int) -> PortRef | None:
    """The output that has a channel in programs, from 1."""
    refs = outputs_of_programs(bench)
    return next((one for one in refs if bench.port(one).audio.channel == channel), None)  # type: ignore[union-attr]


def scaling_of(bench: Bench, channel: int, usual_volts: float) -> Scaling:
    """As it was measured of a channel, from 1; the usual peak at full scale where it was not."""
    ref = port_of_channel(bench, channel)
    audio = None if ref is None else bench.port(ref).audio
    if audio is None or audio.offset_volts is None or audio.full_scale_volts is None:
        return Scaling(usual_volts)
    return Scaling(audio.full_scale_volts, audio.offset_volts)


def measured_channels(bench: Bench) -> list[int]:
    """Channels whose gain and offset were measured, from 1."""
    audios = [bench.port(ref).audio for ref in outputs_of_programs(bench)]
    return sorted(one.channel for one in audios if one is not None and one.offset_volts is not None and one.channel)


def levels_sentence(found: GainOffset, channel: int, style: Style) -> str:
    """What was found of a channel."""
    percent, offset = 100.0 * (found.gain.value - 1.0), 1e3 * found.offset_volts.value
    digits = max(100.0 * found.gain.expanded, _LEAST_PERCENT)
    return (
        f"Channel {channel} gives {style.number(percent, 3, sign=True)} % against what is asked of it (± "
        f"{style.number(digits, 3)} % by the meter's digits; its own error comes on top), and "
        f"{style.number(offset, 2, sign=True)} mV besides."
    )


def take_levels(bench: Bench, channel: int, before: Scaling, found: GainOffset) -> Change:
    """What was found of a channel into its port, and into the converter that it plays the part of.

    before : what was counted on as it was measured.  Raises `InputError` where no port has the channel.
    """
    ref = port_of_channel(bench, channel)
    if ref is None:
        raise InputError(f"No output on this bench has the channel {channel} in programs: give it to one first.")
    if found.gain.expanded > _UNSURE:
        raise InputError(
            f"The readings leave its gain open by ± {100.0 * found.gain.expanded:.2g} %: read more digits, or put "
            "the two levels further apart."
        )
    now, port = before.found(found), bench.port(ref)
    full, offset = float(f"{now.full_scale_volts:.7g}"), float(f"{now.offset_volts:.4g}")
    audio = replace(port.audio or AudioRecord(), full_scale_volts=full, full_scale_dbu=None, offset_volts=offset)
    port = replace(port, audio=audio, transfers=tuple(_scaled(port, one, full, offset) for one in port.transfers))
    check_port(port)
    return Change(f"{bench.label(ref)}: its gain and offset as they were measured", bench.with_port(ref, port))


def _scaled(port: Port, stored: StoredTransfer, full_scale_volts: float, offset_volts: float) -> StoredTransfer:
    """A converter whose codes are samples, from -1 to 1, with what a sample puts out."""
    made = dac_if_known("converter", stored) if stored.kind == "dac" else None
    if made is None or made.dac.low_volts != -made.dac.high_volts:
        return stored
    gain = full_scale_volts / made.dac.high_volts
    return with_(made, dac=with_(made.dac, gain=gain, offset_volts=offset_volts)).stored()
