"""A run that a computer plays through its own outputs: which channel, and which volts for a note."""

from __future__ import annotations

from collections.abc import Callable

from dynamis.bench.chains.port_transfers import dac_if_known
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.analysis import codes_of
from dynamis.errors import InputError


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

        return by_code, float(dac.offset_volts + dac.gain * dac.high_volts)

    def by_law(note: float) -> tuple[float, int | None]:
        return float(model.law.volts(model.tuning.octaves([note], model.law.reference_note))[0]), None

    return by_law, None
