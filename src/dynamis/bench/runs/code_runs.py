"""Converter runs: codes one after another, or one that is held; what they show of a chip or a channel."""

from __future__ import annotations

import math
from datetime import datetime
from typing import Final

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from dynamis.bench.document.limits import HIGHEST_NOTE
from dynamis.bench.document.record_checks import check_run
from dynamis.bench.document.records import HeadRecord, RunRecord
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.converter.held import FEWEST_READINGS, Held, held
from dynamis.converter.ramp import FEWEST_CODES, Ramp, ramp
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style

FloatArray = NDArray[np.float64]
MOST_LISTED: Final = 4
_MOST_DIGITS: Final = 9
_SPREAD, _BESIDE = 32, 6


def parse_codes(text: str, bits: int) -> tuple[int, ...]:
    """Codes of a list such as `0:4095:64, 2040:2056`, in their order, each once.

    Raises `InputError` for what is no code of so many bits.
    """
    codes: dict[int, None] = {}
    top = 2**bits - 1
    for part in text.split(","):
        numbers = [one.strip() for one in part.split(":")]
        if not all(one.isascii() and one.isdigit() and len(one) < _MOST_DIGITS for one in numbers) or len(numbers) > 3:
            raise InputError(f"The codes are {quoted(text)}; 0:{top}:64 or 2040,2041 was expected.")
        first, *rest = map(int, numbers)
        last, step = [*rest, 1][:2] if rest else (first, 1)
        if step < 1 or last < first or last > top:
            raise InputError(f"The codes are {quoted(text)}; rising ones from 0 to {top} were expected.")
        codes.update(dict.fromkeys(range(first, last + 1, step)))
    return tuple(codes)


def usual_codes(bits: int, *, held: bool = False) -> str:
    """Codes to begin with: some over the whole range and all beside the middle carry, or the middle itself."""
    middle, top = 2 ** (bits - 1), 2**bits - 1
    if held:
        return str(middle)
    step = max(1, 2**bits // _SPREAD)
    return f"{step}:{top}:{step}, {max(0, middle - _BESIDE)}:{min(top, middle + _BESIDE)}"


def as_code_run(
    run: RunRecord, converter: DacTransfer | None, codes: tuple[int, ...], passes: int, *, others_move: bool = False
) -> RunRecord:
    """A run of notes made one of codes; its plan are the notes that the codes nominally play.

    Raises `InputError` where the converter is not known, or a code plays none of the notes from 0 to 127.
    """
    if converter is None:
        raise InputError("The converter of this channel is not known; give its bits and levels on its port first.")
    law, tuning = run.model.law, run.model.tuning
    volts = converter.dac.nominal_volts(np.array(codes, float))
    notes = tuning.notes(law.octaves(volts, strict=False), law.reference_note)
    out = ~((notes >= 0.0) & (notes <= HIGHEST_NOTE))
    if np.any(out):
        first = codes[int(np.argmax(out))]
        raise InputError(f"Code {first} stands for no note from 0 to {HIGHEST_NOTE:g}; leave it out.")
    made = replace(
        run,
        plan=tuple(float(note) for note in notes),
        codes=codes,
        passes=passes,
        others_move=others_move,
        head=HeadRecord(),
        quantity="volts",
        enough_cents=None,
    )
    check_run(made)
    return made


def ramp_of(judged: RunAnalysis) -> Ramp | None:
    """What a run of codes shows of its converter; None while too few of them are read."""
    rows = [(row.code, k) for k, row in enumerate(judged.valid) if row.code is not None]
    if judged.model.quantity != "volts" or len({code for code, _ in rows}) < FEWEST_CODES:
        return None
    places = [k for _, k in rows]
    volts = judged.values[places]
    own = judged.independent_cents[places] / np.abs(judged.model.law.cents_per_volt(volts))
    try:
        return ramp([code for code, _ in rows], volts, np.maximum(own, _scatter([code for code, _ in rows], volts)))
    except InputError:
        return None


def _scatter(codes: list[int | None], volts: FloatArray) -> float:
    """Scatter of readings of one code about their mean, over all codes that were read more than once; 0 where none
    was."""
    _, rows = np.unique(np.array(codes, np.int64), return_inverse=True)
    count = np.bincount(rows)
    free = int(np.sum(count - 1))
    if free < 3:
        return 0.0
    left = volts - (np.bincount(rows, volts) / count)[rows]
    return math.sqrt(float(left @ left) / free)


def held_of(judged: RunAnalysis) -> Held | None:
    """What a run of one code that is held shows; None while too few readings are taken."""
    if not judged.run.holds or len(judged.valid) < FEWEST_READINGS:
        return None
    seconds = np.linspace(0.0, lasted_of(judged) or len(judged.valid) - 1.0, len(judged.valid))
    cents = float(np.max(judged.model.law.cents_per_volt(judged.values)))
    rounding = float(np.max(judged.independent_cents)) / abs(cents)
    return held(seconds, judged.values, rounding)


def lasted_of(judged: RunAnalysis) -> float | None:
    """Seconds from the first reading to the last; None where their times do not tell, or are the same."""
    try:
        ends = [datetime.fromisoformat(judged.valid[k].taken) for k in (0, -1)]
        seconds = (ends[1] - ends[0]).total_seconds()
    except (ValueError, TypeError):
        return None
    return seconds if seconds > 0.0 else None


def converter_sentences(judged: RunAnalysis, other: RunAnalysis | None, style: Style) -> list[str]:
    """What a converter run shows, and beside another one that is laid over it; empty for a run of notes."""
    if not judged.run.codes:
        return []
    if judged.run.holds:
        still = held_of(judged)
        if still is None:
            return [f"{FEWEST_READINGS} readings or more of the held code will tell its noise, drift and jumps."]
        told = _held_words(judged, still, style)
        before = None if other is None else held_of(other)
        if other is not None and before is not None and other.run.codes == judged.run.codes:
            told.append(_held_beside(judged, still, other, before, style))
        return told
    found = ramp_of(judged)
    if found is None:
        return [f"Readings of {FEWEST_CODES} codes or more will tell the linearity."]
    told = _ramp_words(judged, found, style)
    before_ramp = None if other is None or not other.run.codes else ramp_of(other)
    if other is not None and before_ramp is not None:
        told += _which_to_keep(judged, found, other, before_ramp, style)
    return told


def _cents_of(judged: RunAnalysis, volts: float, at: float) -> float:
    return abs(volts) * float(judged.model.law.cents_per_volt(at))


def _ramp_words(judged: RunAnalysis, found: Ramp, style: Style) -> list[str]:
    worst = found.worst
    ends = int(np.argmax(np.abs(found.endpoint_lsb)))
    inl = (
        f"Of the codes that were read INL is at most {style.number(float(found.bestfit_lsb[worst]), 2, sign=True)} ± "
        f"{style.number(float(found.expanded_lsb[worst]), 2)} LSB by the best fit, at code {found.codes[worst]}, and "
        f"{style.number(float(found.endpoint_lsb[ends]), 2, sign=True)} LSB by the end points, at code "
        f"{found.codes[ends]}; an LSB is {style.millivolts(abs(found.lsb_volts), 3)}, "
        f"{style.cents(_cents_of(judged, found.lsb_volts, float(found.volts[worst])))} ct there."
    )
    return [inl, _dnl_words(found, style), _monotonic_words(found, style)]


def _dnl_words(found: Ramp, style: Style) -> str:
    if found.dnl_codes.size == 0:
        return (
            "No two neighbouring codes were read: nothing is known of DNL and missing steps; read some beside a carry."
        )
    worst = int(np.argmax(np.abs(found.dnl_lsb)))
    told = (
        f"DNL at most {style.number(float(found.dnl_lsb[worst]), 2, sign=True)} ± "
        f"{style.number(2.0 * float(found.dnl_deviation[worst]), 2)} LSB, behind code {found.dnl_codes[worst]}, over "
        f"{found.dnl_codes.size} steps that were read."
    )
    if found.missing.size:
        return f"{told} Missing steps behind {_listed(found.missing)}."
    if not found.steps_told:
        return f"{told} Whether steps are missing cannot be told: the readings are too coarse for steps of this size."
    return f"{told} No step of those is missing."


def _monotonic_words(found: Ramp, style: Style) -> str:
    if found.monotonic == "no":
        return f"It is not monotonic: the level turns back behind {_listed(found.turns_back)}."
    if found.monotonic == "cannot-tell":
        return "Whether it is monotonic cannot be told: some levels lie closer than the readings are good for."
    whole = found.codes.size == int(found.codes[-1]) - int(found.codes[0]) + 1
    return "It is monotonic." if whole else "It is monotonic over the codes that were read; those between were not."


def _listed(codes: NDArray[np.int64]) -> str:
    shown = ", ".join(str(code) for code in codes[:MOST_LISTED])
    word = "codes" if codes.size > 1 else "code"
    return f"{word} {shown}" + (f" and {codes.size - MOST_LISTED} more" if codes.size > MOST_LISTED else "")


def _which_to_keep(mine: RunAnalysis, found: Ramp, other: RunAnalysis, before: Ramp, style: Style) -> list[str]:
    """Which of two converters is the better one for pitch, and what an exchange asks for."""
    rows = [(mine, found), (other, before)]
    names = [_name(one) for one, _ in rows]
    if names[0] == names[1]:
        return []
    shared = np.intersect1d(found.codes, before.codes)
    if shared.size < FEWEST_CODES:
        return ["Which is better for pitch cannot be told: too few codes were read of both."]
    worst, own = [], []
    for _, one in rows:
        on_both = np.flatnonzero(np.isin(one.codes, shared))
        place = int(on_both[np.argmax(np.abs(one.bestfit_lsb[on_both]))])
        worst.append(float(abs(one.bestfit_lsb[place])))
        own.append(float(one.expanded_lsb[place]))
    better = 0 if worst[0] <= worst[1] else 1
    apart, sure = abs(worst[0] - worst[1]), math.hypot(*own)
    lsbs = f"{style.number(worst[better], 2)} LSB against {style.number(worst[1 - better], 2)} LSB"
    if rows[1 - better][1].monotonic == "no" and rows[better][1].monotonic != "no":
        told = f"Keep {names[better]} for pitch: {names[1 - better]} is not monotonic."
    elif apart <= sure:
        told = (
            f"Which is better for pitch cannot be told: INL of {lsbs} differs by less than the readings are good for."
        )
    else:
        told = f"Keep {names[better]} for pitch: its INL is at most {lsbs} (± {style.number(sure, 2)} between them)."
    gain = before.lsb_volts / found.lsb_volts
    volts = [float(np.interp(shared[-1], one.codes, one.volts)) for one in (found, before)]
    off = _cents_of(mine, volts[1] - volts[0], volts[0])
    swap = (
        f"Exchanged for each other they differ by {style.percent(100.0 * (gain - 1.0), 3, sign=True)} of scale, "
        f"{style.cents(off)} ct at code {shared[-1]}: constants and tables belong to a chip, so begin again as found "
        "after an exchange."
    )
    return [told, swap]


def _name(judged: RunAnalysis) -> str:
    run = judged.run
    return f"unit {run.serial} {run.port.replace('-', ' ')}"


def _common_volts(judged: RunAnalysis) -> float:
    """Standard uncertainty of a held level by what all its readings share: the meter's gain and zero."""
    cents = judged.model.law.cents_per_volt(judged.values)
    return float(np.max(judged.common_cents / np.abs(cents)))


def _held_words(judged: RunAnalysis, still: Held, style: Style) -> list[str]:
    at = still.mean_volts
    noise = _cents_of(judged, still.noise_volts, at)
    lasted, count = lasted_of(judged), len(judged.valid)
    span = f"{count} readings" if lasted is None else f"{count} readings in {style.number(lasted, 0)} s"
    told = [
        f"Code {judged.run.codes[0]} held for {span} stands at {style.volts(at)} ± "
        f"{style.millivolts(2.0 * math.hypot(still.mean_deviation, _common_volts(judged)), 3)} and changes by "
        f"{style.millivolts(still.noise_volts, 3)} rms from reading to reading, {style.number(noise, 2)} ct; the "
        "meter's own noise is in that."
    ]
    if still.jump_volts is not None and still.jump_after is not None:
        told.append(
            f"It jumps by {style.millivolts(still.jump_volts, 2, sign=True)}, "
            f"{style.cents(_cents_of(judged, still.jump_volts, at))} ct, after reading {still.jump_after + 1}: look at "
            "contacts, the supply and what was switched then."
        )
    drift = f"{style.millivolts(still.drift_volts, 2, sign=True)} ± {style.millivolts(2.0 * still.drift_deviation, 2)}"
    cents = style.cents(_cents_of(judged, still.drift_volts, at))
    if still.drifts:
        told.append(f"It drifts by {drift} over that time, {cents} ct: let it warm, or look at the reference.")
    elif still.jump_volts is None:
        told.append(f"It does not drift beyond what the readings are good for ({drift}).")
    return told


def _held_beside(mine: RunAnalysis, still: Held, other: RunAnalysis, before: Held, style: Style) -> str:
    """What moves a held level: with the other channels still, and moving."""
    shift = still.mean_volts - before.mean_volts
    alike = mine.run.meter is not None and mine.run.meter == other.run.meter
    common = (0.0, 0.0) if alike else (_common_volts(mine), _common_volts(other))
    sure = 2.0 * math.hypot(still.mean_deviation, before.mean_deviation, *common)
    cents = style.cents(_cents_of(mine, shift, still.mean_volts))
    beside = (
        f"Beside {other.run.title}: {style.millivolts(shift, 3, sign=True)} ± {style.millivolts(sure, 3)}, {cents} ct, "
        f"and {style.millivolts(still.noise_volts, 3)} rms against {style.millivolts(before.noise_volts, 3)}."
    )
    if mine.run.others_move == other.run.others_move:
        return beside
    if (
        abs(shift) <= sure
        and still.noise_volts < 2.0 * before.noise_volts
        and before.noise_volts < 2.0 * still.noise_volts
    ):
        return f"{beside} The other channels' moving is not seen in it."
    return f"{beside} The other channels' moving is seen in it: look at their common ground, supply and reference."
