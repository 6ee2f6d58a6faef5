"""As few notes as will do: which to read next of a run, why, and about how many are to go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.planning.belief import Channel, carries
from dynamis.calibration.planning.choice import MOST_AHEAD, Planner
from dynamis.converter.transfers import DacTransfer
from dynamis.notation.style import Style
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import ToleranceProfile

FloatArray = NDArray[np.float64]
Reason = Literal["lowest", "highest", "tells-most", "again", "enough", "decides"]


@dataclass(frozen=True)
class Planned:
    """note : to read next, None when enough is read.  to_go : about how many readings are left, this one included.

    now_cents, then_cents : how far the correction may be off at its worst note, U = 2u, before and after it.
    change_cents : by how much it may move the correction.  carry_code : of a carry that lies beside it, 0 for none.
    """

    note: float | None
    to_go: int
    reason: Reason
    now_cents: float
    then_cents: float
    change_cents: float
    carry_code: float = 0.0


def deciding(asks: Sequence[float]) -> Planned:
    """Notes that decide what is open come first: as long as a reading may be a slip, nothing can be planned by it."""
    unknown = float("nan")
    return Planned(asks[0], len(asks), "decides", unknown, unknown, unknown)


def to_go_words(planned: Planned) -> str:
    """About how many readings are left; of very many nobody knows how many."""
    return f"more than {MOST_AHEAD}" if planned.to_go > MOST_AHEAD else f"about {planned.to_go}"


def plan_next(
    model: PitchModel,
    notes: FloatArray,
    own_cents: FloatArray,
    codes: FloatArray | None,
    converter: DacTransfer | None,
    read: Sequence[float],
    residual_cents: FloatArray,
    enough_cents: float,
) -> Planned:
    """The next of the notes to choose from, (N,) in rising order.

    own_cents : standard uncertainty of a reading of each, (N,).  codes : at the notes.  read : notes of the valid
    readings, in their order; residual_cents : of each about its line.
    """
    channel = channel_of(model, notes, own_cents, codes, converter)
    planner = Planner(channel)
    mine = [note for note in read if note in set(notes.tolist())]
    if mine and len(mine) == len(read):
        planner = Planner(channel, scatter=planner.scatter_of(mine, residual_cents))
    following = planner.next(mine)
    left = planner.ahead(mine, enough_cents)
    again = bool(mine) and not _read_again(mine)
    if left:
        reason: Reason = "tells-most"
        if not np.isfinite(following.now_cents):
            reason = "lowest" if following.note == notes[0] else "highest"
        carry = _carry_beside(channel, following.note)
        numbers = following.now_cents, following.then_cents, following.change_cents
        return Planned(following.note, len(left) + 1, reason, *numbers, carry)
    numbers = following.now_cents, following.then_cents, following.change_cents
    return Planned(mine[0], 1, "again", *numbers) if again else Planned(None, 0, "enough", *numbers)


def channel_of(
    model: PitchModel, notes: FloatArray, own_cents: FloatArray, codes: FloatArray | None, converter: DacTransfer | None
) -> Channel:
    """What is known of a channel before it is read."""
    hertz = model.tuning.hertz(notes) if model.quantity == "hertz" else None
    linearity, bits = None, 0
    if converter is not None and codes is not None and np.all(np.isfinite(codes)):
        bits = converter.dac.bits
        volts = model.law.volts(model.tuning.octaves(notes, model.law.reference_note))
        per_volt = np.nan_to_num(model.law.cents_per_volt(volts))
        linearity = converter.inl_limit_lsb * converter.dac.lsb_volts * per_volt
    return Channel(notes, np.nan_to_num(own_cents), codes if bits else None, bits, linearity, hertz)


def _read_again(read: Sequence[float]) -> bool:
    """Whether the first note was read once more in the second half of the readings."""
    return any(note == read[0] for note in read[max(1, len(read) // 2) :])


def _carry_beside(channel: Channel, note: float) -> float:
    """The code of a carry between this note and one of its neighbours, 0 for none."""
    if channel.codes is None:
        return 0.0
    k = int(np.argmin(np.abs(channel.notes - note)))
    near = channel.codes[max(0, k - 1) : k + 2]
    return next((place for place, _ in carries(channel) if near.min() < place <= near.max()), 0.0)


def planned_words(planned: Planned, style: Style) -> str:
    """Why this note, and about how many are to go."""
    words = to_go_words(planned)
    about = f"{words[:1].upper()}{words[1:]} to go." if planned.to_go > 1 else "The last one."
    if planned.reason == "decides":
        return "It decides what is open."
    if planned.reason == "enough":
        change = style.cents(planned.change_cents)
        return f"Enough is read: one more reading would change the correction by about {change} ct."
    if planned.reason == "again":
        return "The first note once more: whether it has moved meanwhile, and from the other side. The last one."
    if planned.reason in ("lowest", "highest"):
        return f"The {planned.reason} note: a line wants both of its ends first. {about}"
    carry = f" It lies beside the carry at code {style.number(planned.carry_code, 0)}." if planned.carry_code else ""
    now, then = style.cents(planned.now_cents), style.cents(planned.then_cents)
    return f"It tells most: the correction may be off by ± {now} ct now, by ± {then} ct after it.{carry} {about}"


WHICH: Final[dict[str, str]] = {
    "these": "these notes",
    "few": "as few as will do",
    "every": "every note from the lowest to the highest",
    "octaves": "an octave apart",
}
# By how much another reading may still move the correction, in parts of the tightest tolerance.
ENOUGH_SHARE: Final = 0.1


def notes_to_read(which: str, notes: Sequence[float]) -> tuple[float, ...]:
    """The notes of a run, from those that were named: themselves, all whole ones between, or octaves of them; as few as
    will do are chosen from all whole ones, or from the named ones where those are no whole notes."""
    if which == "these" or len(notes) < 2:
        return tuple(notes)
    low, high = min(notes), max(notes)
    step = 12.0 if which == "octaves" else 1.0
    count = int(np.floor((high - low) / step + 1e-9)) + 1
    made = [low + step * k for k in range(count)]
    if made[-1] < high:
        made.append(high)
    return tuple(made)


def usual_enough(tolerance: ToleranceProfile, notes: Sequence[float]) -> float:
    """What is enough where nobody said: a tenth of the tightest tolerance."""
    allowed = tolerance.cents_at(notes)
    tightest = float(np.nanmin(np.where(np.isfinite(allowed) & (allowed > 0), allowed, np.nan), initial=5.0))
    return ENOUGH_SHARE * tightest
