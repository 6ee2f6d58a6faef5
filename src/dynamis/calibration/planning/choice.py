"""The next best note, and whether another reading would change anything.

For trimmers and constants the line through the readings is what counts: how far it may lie from the line through all
notes.  For a table it is each note's own error.  Both follow from how the errors hang together, whatever the readings
turn out to be; where they scatter more than was believed, the belief is widened.

Source: variance of a linear estimate (JCGM 100:2008, 5.2), and of a Gaussian process given readings; derived.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.planning.belief import Channel, covariance

FloatArray = NDArray[np.float64]
Aim = Literal["line", "table"]
# With fewer readings a line proves nothing, and a slip shows in none.
LEAST_READINGS: Final = 5
MOST_AHEAD: Final = 24


@dataclass(frozen=True)
class Next:
    """note : to read next.  now_cents, then_cents : how far the correction may be off at its worst note, U = 2u, before
    and after that reading.  change_cents : by how much the reading may move the correction, U = 2u."""

    note: float
    now_cents: float
    then_cents: float
    change_cents: float


class Planner:
    """Chooses among the notes of a channel.  scatter : how many times more than was believed the readings scatter."""

    def __init__(self, channel: Channel, aim: Aim = "line", scatter: float = 1.0) -> None:
        self.channel, self.aim = channel, aim
        self._belief = covariance(channel) * max(1.0, scatter) ** 2
        self._own = np.maximum(channel.own_cents, 1e-3) ** 2
        octaves = (channel.notes - channel.notes.mean()) / 12.0
        self._basis = np.column_stack([np.ones(octaves.size), octaves])

    def next(self, read: Sequence[float]) -> Next:
        """The best next note after those that were read, with repeats; any note may be read again."""
        at = self._places(read)
        return self._next_line(at) if self.aim == "line" else self._next_table(at)

    def wanted(self, read: Sequence[float], amount_cents: float) -> Next | None:
        """The next note while a reading may still change the correction by more than an amount; None when enough is
        read."""
        following = self.next(read)
        enough = len(set(read)) >= LEAST_READINGS and following.change_cents <= amount_cents
        return None if enough else following

    def ahead(self, read: Sequence[float], amount_cents: float) -> list[float]:
        """The notes that would be read from here on, as things stand; no more than `MOST_AHEAD` are looked for."""
        notes = list(read)
        found: list[float] = []
        while len(found) < MOST_AHEAD:
            following = self.wanted(notes, amount_cents)
            if following is None:
                break
            notes.append(following.note)
            found.append(following.note)
        return found

    def scatter_of(self, read: Sequence[float], residual_cents: FloatArray) -> float:
        """How many times more than is believed readings scatter about their line; at least 1.

        residual_cents : one for each reading, (K,); NaN where there is none.
        """
        known = [k for k, left in enumerate(residual_cents) if np.isfinite(left)]
        at = self._places([read[k] for k in known])
        if len(at) != len(known) or len(set(at)) < LEAST_READINGS:
            return 1.0
        basis = self._basis[at]
        off_line = np.eye(len(at)) - basis @ np.linalg.pinv(basis)
        believed = off_line @ (self._belief[np.ix_(at, at)] + np.diag(self._own[at])) @ off_line.T
        found = float(np.sum(np.asarray(residual_cents)[known] ** 2))
        return float(np.sqrt(max(1.0, found / max(1e-12, float(np.trace(believed))))))

    def _places(self, read: Sequence[float]) -> list[int]:
        places = {float(note): k for k, note in enumerate(self.channel.notes)}
        return [places[note] for note in read if note in places]

    # -- a line ------------------------------------------------------------------------------------

    def _next_line(self, at: list[int]) -> Next:
        count, notes = self.channel.notes.size, self.channel.notes
        if len(set(at)) < 2:
            # A line wants both ends first: the lowest, then the highest.
            place = 0 if 0 not in at else count - 1
            infinite = float("inf")
            return Next(float(notes[place]), infinite, infinite, infinite)
        whole = self._basis @ np.linalg.pinv(self._basis)
        before = self._estimate(at)
        off = self._off(whole, before, at)
        best: tuple[float, int, float] | None = None
        for j in range(count):
            then = [*at, j]
            after = self._estimate(then)
            worst = float(np.sqrt(np.max(self._off(whole, after, then))))
            moved = after - np.column_stack([before, np.zeros(count)])
            change = float(np.sqrt(np.max(self._variance(moved, then))))
            if best is None or worst < best[0] - 1e-12:
                best = (worst, j, change)
        assert best is not None
        return Next(float(notes[best[1]]), 2.0 * float(np.sqrt(np.max(off))), 2.0 * best[0], 2.0 * best[2])

    def _estimate(self, at: list[int]) -> FloatArray:
        """What makes the line at all notes of the readings, (N, K): least squares."""
        return np.asarray(self._basis @ np.linalg.pinv(self._basis[at]), float)

    def _variance(self, of_readings: FloatArray, at: list[int]) -> FloatArray:
        """The variance of what linear weights make of readings, (N,)."""
        between = self._belief[np.ix_(at, at)]
        wide = np.einsum("nk,kl,nl->n", of_readings, between, of_readings)
        return np.maximum(0.0, wide + (of_readings**2) @ self._own[at])

    def _off(self, whole: FloatArray, of_readings: FloatArray, at: list[int]) -> FloatArray:
        """The variance of the line through the readings less that through all notes, (N,)."""
        spread = np.zeros_like(whole)
        np.add.at(spread.T, at, of_readings.T)
        apart = spread - whole
        wide = np.einsum("nm,mn->n", apart @ self._belief, apart.T)
        return np.maximum(0.0, wide + (of_readings**2) @ self._own[at])

    # -- a table -----------------------------------------------------------------------------------

    def _next_table(self, at: list[int]) -> Next:
        left = self.left(at)
        variance = np.diag(left)
        gain = left**2 / (variance + self._own)
        after = np.max(variance[:, None] - gain, axis=0)
        j = int(np.argmin(after))
        worst = float(np.sqrt(max(0.0, float(np.max(variance)))))
        change = float(np.sqrt(np.max(gain[:, j])))
        return Next(float(self.channel.notes[j]), 2.0 * worst, 2.0 * float(np.sqrt(max(0.0, after[j]))), 2.0 * change)

    def left(self, at: Sequence[int]) -> FloatArray:
        """How the errors hang together once some notes are read, (N, N)."""
        if not at:
            return self._belief
        places = list(at)
        inner = self._belief[np.ix_(places, places)] + np.diag(self._own[places])
        across = self._belief[:, places]
        return np.asarray(self._belief - across @ np.linalg.solve(inner, across.T), float)
