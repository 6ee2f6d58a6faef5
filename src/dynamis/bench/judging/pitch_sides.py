"""The two sides of a pitch link, each worked out once and met with many of the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from msgspec.structs import replace as with_
from numpy.typing import NDArray

from dynamis.bench.chains.laws import law_after
from dynamis.bench.chains.node import Driven, between_of, driving
from dynamis.bench.chains.port_transfers import aim_volts, heard_by
from dynamis.bench.chains.remembered import behind_gate
from dynamis.bench.chains.sending import sending_of
from dynamis.bench.chains.tree import fed_by
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.gear.knobs import NOT_TURNED, Turned
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.net import Terminal
from dynamis.electrics.stage import Stage
from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw, parse_law
from dynamis.transfer.chain import Transfer, run, varied
from dynamis.transfer.law import Oscillator, PitchSource, WantedPitch
from dynamis.transfer.parameter import NOMINAL, World
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]
# Trimmed or rounded parts come that near to a limit without anybody hearing that it clips.
_CLIPPED_VOLTS: Final = 1e-4
# An open contact, as against the inputs that hang on it.
_OPEN_OHMS: Final = 1e13
_BETWEEN: Final = (Stage, Driven)


@dataclass(frozen=True, eq=False)
class Sender:
    """An output that plays notes of shape (N,).

    law : of its volts at the inputs, open, behind what stands between.
    wanted : octaves (log2 of hertz) that should sound.  volts : at the jack, open, with nominal parts.
    moved : (K, N) the same with each of `sources` alone at its limit.  unreached : notes beyond its reach.
    reach : the least and most volts that it can send, as far as they are known.  ohms, ohms_limit : what the
    inputs hang on, the last circuit between included; ohms_moved : (K,) the same with each of `sources` at its limit.
    released, released_ohms : the volts, open, and the resistance while no key is held; None where the pitch is held.
    """

    port: Port
    label: str
    law: Law
    law_octaves: float
    notes: FloatArray
    wanted: FloatArray
    volts: FloatArray
    moved: FloatArray
    sources: tuple[str, ...]
    unreached: NDArray[np.bool_]
    reach: FloatArray
    ohms: float
    ohms_limit: float
    ohms_moved: FloatArray
    released: float | None = None
    released_ohms: float = 0.0


@dataclass(frozen=True, eq=False)
class Receiver:
    """An input and what it makes of volts.

    octaves : log2 of hertz at its law's own reference.  knobs : its own, as they stand, or are set for the link.
    """

    port: Port
    label: str
    heard: Oscillator
    octaves: float
    knobs: Turned = NOT_TURNED

    @property
    def law(self) -> Law:
        """What it makes of volts at its jack, ahead of its own knobs."""
        law, gain, offset = self.heard.law, self.knobs.gain, self.knobs.offset_volts
        if gain <= 0 or (gain == 1.0 and not offset):
            return law
        if isinstance(law, ExponentialLaw):
            return ExponentialLaw(
                law.volts_per_octave / gain, law.reference_note, (law.reference_volts - offset) / gain
            )
        return LinearLaw(law.reference_note, law.reference_volts / gain, (law.offset_volts - offset) / gain)


class SideCache:
    """Sides that were worked out, kept while the records they came from stand."""

    def __init__(self) -> None:
        self._senders: dict[tuple[PortRef, HeadRecord, str | None], tuple[tuple[object, ...], Sender | str]] = {}
        self._receivers: dict[PortRef, tuple[tuple[object, ...], Receiver | None]] = {}

    def sender(
        self, bench: Bench, link: Link, head: HeadRecord, notes: FloatArray, port: Port | None = None
    ) -> Sender | str:
        """As `sender_of`."""
        port = port or bench.port(link.output)
        key = (
            port,
            bench.gear_by(link.output.gear).name,
            bench.a4_hertz,
            bench.tuning,
            link.between,
            float(notes[0]),
            float(notes[-1]),
            *fed_by(bench, link.output),
        )
        where = link.output, head, port.law  # units of one board differ by what is in force for them
        kept = self._senders.get(where)
        if kept is None or not _same(kept[0], key):
            kept = self._senders[where] = key, sender_of(bench, link, head, notes, port)
        return kept[1]

    def receiver(self, bench: Bench, ref: PortRef) -> Receiver | None:
        """As `receiver_of`."""
        key = (bench.port(ref), bench.gear_by(ref.gear).name, bench.a4_hertz, bench.tuning)
        kept = self._receivers.get(ref)
        if kept is None or not _same(kept[0], key):
            kept = self._receivers[ref] = key, receiver_of(bench, ref)
        return kept[1]


def _same(first: tuple[object, ...], second: tuple[object, ...]) -> bool:
    return len(first) == len(second) and all(
        one is other or one == other for one, other in zip(first, second, strict=True)
    )


def sender_of(bench: Bench, link: Link, head: HeadRecord, notes: FloatArray, port: Port | None = None) -> Sender | str:
    """The output of a link, what stands between included; a sentence where nothing can be told yet.

    port : what the output is taken for, itself by default.
    """
    port = port or bench.port(link.output)
    sending = sending_of(bench, link, head, port)
    driven = driving(bench, link)
    if sending.sentence or driven is None:
        return sending.sentence
    tuning, law = tuning_of(bench), parse_law(sending.law)
    for transfer in sending.transfers:
        law = law_after(law, transfer)
    first, tail = sending.transfers[0], [transfer for transfer in sending.transfers if not transfer.believes]
    codes = first.forward(notes, NOMINAL) if first.believes else notes
    every = list(varied(tail, codes, sending.true))
    out, after = (tail[0], tail[1:])
    ends = np.array([float(limit) for limit in out.limits(NOMINAL)])
    moved = np.array([values for _, _, _, values in every]) if every else np.zeros((0, notes.size))
    return Sender(
        port,
        bench.label(link.output),
        law,
        float(np.log2(tuning.hertz(law.reference_note))),
        notes,
        WantedPitch(tuning=tuning).forward(notes, NOMINAL),
        run(tail, codes, sending.true),
        moved,
        tuple(source for source, *_ in every),
        _unreached(first, out, notes) | _clipped(tail, codes, sending.true),
        run(after, ends[np.isfinite(ends)], World()),
        driven.ohms,
        driven.limit,
        _ohms_moved(driven, every),
        *_released(bench, link, port, driven.ohms),
    )


def _released(bench: Bench, link: Link, port: Port, ohms: float) -> tuple[float | None, float]:
    """(volts, ohms) that the inputs hang on while no key is held: the output grounded behind its own resistance, or
    open, and all that stands between with it; a gated pitch between lets go by itself."""
    gated = behind_gate(bench, link)
    if gated is not None:
        return float(run(gated, np.zeros(1), NOMINAL)[0]), ohms
    if port.release == "held":
        return None, ohms
    if port.release == "grounded":
        return float(run(between_of(bench, link) or (), np.zeros(1), NOMINAL)[0]), ohms
    if not link.between:
        return 0.0, _OPEN_OHMS
    gear = bench.gear_by(link.output.gear)
    ports = tuple(with_(one, ohms=_OPEN_OHMS) if one.id == link.output.port else one for one in gear.ports)
    opened = with_(bench, gear=tuple(with_(one, ports=ports) if one.id == gear.id else one for one in bench.gear))
    return float(run(between_of(opened, link) or (), np.zeros(1), NOMINAL)[0]), ohms


def _ohms_moved(driven: Terminal, every: Sequence[tuple[str, str, float, FloatArray]]) -> FloatArray:
    if driven.behind is None or not driven.ohms:
        return np.full(len(every), driven.ohms)
    return np.array([float(driven.ohms_in(World({source: 1.0}))) for source, *_ in every])


def receiver_of(bench: Bench, ref: PortRef) -> Receiver | None:
    """An input, None while its law is not known."""
    port, tuning = bench.port(ref), tuning_of(bench)
    heard = heard_by(f"{ref.gear}.{ref.port}", port, tuning)
    if heard is None:
        return None
    return Receiver(port, bench.label(ref), heard, float(np.log2(tuning.hertz(heard.law.reference_note))))


def _unreached(first: Transfer, out: Transfer, notes: FloatArray) -> NDArray[np.bool_]:
    if isinstance(first, PitchSource):
        return np.asarray(first.exact(notes, NOMINAL) != first.forward(notes, NOMINAL))
    assert isinstance(first, ConstantsHead | TableHead)
    assert isinstance(out, DacTransfer)
    return np.isin(out.dac.code_for(aim_volts(first, notes)).reason, (Reason.CLAMP, Reason.DEAD_BAND))


def _clipped(tail: Sequence[Transfer], codes: FloatArray, true: World) -> NDArray[np.bool_]:
    """Notes at which a circuit between stops short."""
    clipped, x = np.zeros(codes.shape, bool), codes
    if not any(isinstance(one, _BETWEEN) for one in tail):
        return clipped
    for one in tail:
        y = one.forward(x, true)
        if isinstance(one, _BETWEEN):
            clipped |= np.abs(y - one.exact(x, true)) > _CLIPPED_VOLTS
        x = y
    return clipped
