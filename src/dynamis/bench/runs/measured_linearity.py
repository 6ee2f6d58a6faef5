"""The linearity of a converter as a run of volts shows it: what its readings leave of their own line, by code.

The line is the best fit, so that scale, offset and loading do not count.  Source: IEEE Std 1658, INL by best fit
(from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.runs.analysis import RunAnalysis, codes_of
from dynamis.converter.dac import MOST_BITS_WITH_INL
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label
from dynamis.transfer.distinct import distinct

FloatArray = NDArray[np.float64]
_FEWEST = 3


@dataclass(frozen=True, eq=False)
class MeasuredLinearity:
    """One row a code that was read, lowest first; several readings of one are their mean.

    notes, codes, inl_lsb : (N,).  expanded_lsb : (N,) what each reading may be off by itself, k = 2.
    """

    title: str
    notes: FloatArray
    codes: FloatArray
    inl_lsb: FloatArray
    expanded_lsb: FloatArray

    def by_code(self, bits: int) -> list[float]:
        """INL of every code, straight between those that were read and level beyond them.

        Raises `InputError` where so many codes are not kept.
        """
        if bits > MOST_BITS_WITH_INL:
            raise InputError(
                f"A linearity by code is kept for at most {MOST_BITS_WITH_INL} bits; the converter has {bits}."
            )
        return [round(float(one), 6) for one in np.interp(np.arange(2**bits), self.codes, self.inl_lsb)]


def measured_linearity(run_analysis: RunAnalysis | None) -> MeasuredLinearity | str:
    """The linearity that a run shows, or the sentence that says why it shows none."""
    if run_analysis is None:
        return "No run has been read yet that could show the linearity."
    if run_analysis.model.kind != "volts":
        return (
            f"{run_analysis.run.title} was read in hertz: what the oscillator adds would be taken for the "
            "converter's. Read "
            "volts at the jack."
        )
    if run_analysis.converter is None or run_analysis.shape is None:
        return run_analysis.why_no_fit or f"The converter of {run_analysis.run.title} is not known."
    dac = run_analysis.converter.dac
    every = np.asarray(codes_of(run_analysis.run, run_analysis.converter, run_analysis.notes), float)
    used = run_analysis.shape.fit.used & np.isfinite(every) & np.isfinite(run_analysis.values)
    codes, notes, volts = every[used], run_analysis.notes[used], run_analysis.values[used]
    if distinct(codes).values.size < _FEWEST:
        return f"{run_analysis.run.title} has fewer than three codes; a line says nothing of their linearity yet."
    nominal = dac.nominal_volts(codes)
    slope, offset = np.polyfit(nominal, volts, 1)
    lsb = slope * dac.lsb_volts
    off = (volts - offset - slope * nominal) / lsb
    own = run_analysis.independent_cents[used] / np.abs(run_analysis.model.law.cents_per_volt(volts)) / abs(lsb)
    order = distinct(codes).values
    rows = [codes == one for one in order]
    return MeasuredLinearity(
        run_analysis.run.title,
        np.array([notes[row][0] for row in rows]),
        order,
        np.array([off[row].mean() for row in rows]),
        np.array([2.0 * np.sqrt(np.mean(own[row] ** 2) / row.sum()) for row in rows]),
    )


def linearity_words(linearity: MeasuredLinearity | str, limit_lsb: float, style: Style) -> str:
    """What a run shows of the linearity, against what the data sheet allows (0 for not known)."""
    if isinstance(linearity, str):
        return linearity
    worst = int(np.argmax(np.abs(linearity.inl_lsb)))
    worst_lsb, own = float(linearity.inl_lsb[worst]), float(linearity.expanded_lsb[worst])
    text = (
        f"{linearity.title}: the readings leave at most {style.number(worst_lsb, 1, sign=True)} LSB of their line, at "
        f"{note_label(float(linearity.notes[worst]), style)}, code {style.number(float(linearity.codes[worst]), 0)}; "
        f"a reading by itself may be ± {style.number(own, 2)} LSB off."
    )
    if own >= abs(worst_lsb):
        return text + " So the meter does not show it."
    if limit_lsb:
        within = abs(worst_lsb) - own <= limit_lsb
        text += f" Its data sheet allows ± {style.number(limit_lsb, 1)}: {'within' if within else 'more than that'}."
    return text
