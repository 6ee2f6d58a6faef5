"""What a port does by itself: its converter and the head before it, its law as a source, what it hears."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.ports import Port
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.document.tuning import tuning_as
from dynamis.converter.dac import Dac
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.pitch.laws import Law, parse_law
from dynamis.pitch.tuning import EqualTemperament, Tuning
from dynamis.transfer.law import Oscillator, PitchSource
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]


def converter_of(port: Port) -> StoredTransfer | None:
    """The stored DAC of an output, or None."""
    return next((stored for stored in port.transfers if stored.kind == "dac"), None)


def on_supply(port: Port) -> bool:
    """Whether a port's converter has no reference but its supply."""
    stored = converter_of(port)
    return stored is not None and bool(stored.values.get("reference_is_supply"))


def make_dac(transfer_id: str, stored: StoredTransfer) -> DacTransfer:
    """The DAC of a stored transfer; raises `InputError` where it is none."""
    transfer = REGISTRY.make(transfer_id, stored)
    if not isinstance(transfer, DacTransfer):
        raise InputError(f"{transfer_id} is stored as {stored.kind!r}; a DAC was expected.")
    return transfer


def dac_if_known(transfer_id: str, stored: StoredTransfer | None) -> DacTransfer | None:
    """The DAC of a stored transfer; None where there is none, or a newer program wrote it."""
    return make_dac(transfer_id, stored) if stored is not None and REGISTRY.knows(stored) else None


def source_of(transfer_id: str, port: Port, tuning: Tuning) -> PitchSource:
    """What an output without a converter of ours does: its law, with the limits that are known of it.

    The port's own law holds, also where one was stored beside the limits.
    """
    stored = next((one for one in port.transfers if one.kind == "pitch-source"), None)
    transfer = None if stored is None else REGISTRY.make(transfer_id, stored)
    if isinstance(transfer, PitchSource):
        return replace(transfer, tuning=tuning, law=transfer.law if port.law is None else parse_law(port.law))
    if port.law is None:
        raise InputError(f"{port.name} has no pitch law.")
    return PitchSource(transfer_id, parse_law(port.law), tuning)


def heard_by(transfer_id: str, port: Port, tuning: Tuning) -> Oscillator | None:
    """What an input makes of volts: its oscillator, or its law alone; None where neither is known."""
    stored = next((one for one in port.transfers if one.kind == "oscillator"), None)
    transfer = None if stored is None else REGISTRY.make(transfer_id, stored)
    if isinstance(transfer, Oscillator):
        law = transfer.law if port.law is None else parse_law(port.law)
        return replace(transfer, tuning=tuning, label="sounds", law=law)
    return None if port.law is None else Oscillator(transfer_id, parse_law(port.law), tuning)


Head = ConstantsHead | TableHead


def make_head(head_id: str, record: HeadRecord, law: Law, dac: Dac, tuning: Tuning) -> Head:
    """The believing head that a record describes."""
    constants = ConstantsHead(head_id, law, dac, record.offset, record.gain, record.quantity, tuning)
    if record.kind != "table":
        return constants
    # Which A4 equal temperament stands on makes no difference to volts.
    alike = record.tuning is None and isinstance(tuning, EqualTemperament)
    made_in = None if alike else tuning_as(EqualTemperament.a4_hertz, record.tuning)
    return TableHead(head_id, constants, record.first_note, record.sixteenths, made_in)


def aim_volts(head: Head, notes: FloatArray) -> FloatArray:
    """Nominal volts that the head aims for, for notes of shape (N,)."""
    if isinstance(head, TableHead):
        return head.under.dac.nominal_volts(head.exact(notes, NOMINAL))
    return head.aim_volts(notes)
