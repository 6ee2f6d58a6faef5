"""The pitch law that stands behind what a signal comes through."""

from __future__ import annotations

import numpy as np

from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.branch_node import BranchNode
from dynamis.electrics.net import Loading
from dynamis.electrics.quantizer import Quantizer
from dynamis.electrics.stage import Stage
from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw
from dynamis.transfer.chain import Transfer
from dynamis.transfer.parameter import NOMINAL


def law_after(law: Law, transfer: Transfer) -> Law:
    """The law that stands behind a circuit between, or behind the node ahead of it."""
    if isinstance(transfer, Loading):
        line = transfer.net.share(transfer.source, NOMINAL)
    elif isinstance(transfer, BranchNode):
        line = transfer.line(NOMINAL)
    elif isinstance(transfer, Stage):
        line = np.array(transfer.gain), np.array(transfer.offset_volts)
    elif transfer.input.kind != "volts" or isinstance(transfer, Quantizer | DacTransfer):
        return law
    else:
        return _behind_circuit(law, transfer)
    return _moved(law, *(float(value) for value in line))


def _behind_circuit(law: Law, transfer: Transfer) -> Law:
    # Circuits of parts are imported when a link has one.
    from dynamis.electrics.circuits.built import BuiltCircuit
    from dynamis.electrics.exponential.converter import ExponentialConverter, LogarithmicConverter

    if isinstance(transfer, ExponentialConverter) and isinstance(law, ExponentialLaw):
        return LinearLaw(law.reference_note, float(transfer.exact(law.reference_volts, NOMINAL)))
    if isinstance(transfer, LogarithmicConverter) and isinstance(law, LinearLaw):
        below, above = (float(transfer.exact(times * law.reference_volts, NOMINAL)) for times in (0.5, 1.0))
        return ExponentialLaw(above - below, law.reference_note, above) if above > below else law
    return _moved(law, transfer.gain, transfer.offset_volts) if isinstance(transfer, BuiltCircuit) else law


def _moved(law: Law, gain: float, offset: float) -> Law:
    """A law of volts that were scaled and shifted; itself where they were turned over, which is no law."""
    if gain <= 0:
        return law
    if isinstance(law, ExponentialLaw):
        return ExponentialLaw(law.volts_per_octave * gain, law.reference_note, law.reference_volts * gain + offset)
    return LinearLaw(law.reference_note, law.reference_volts * gain, law.offset_volts * gain + offset)
