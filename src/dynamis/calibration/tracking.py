"""What an oscillator's errors are made of: scale, offset, reset time, and what the temperature did meanwhile.

Under V/oct an oscillator of ideal frequency f that loses t seconds at each reset sounds at 1/(1/f + t): flat by
1200·log2(1 + f·t), which is CENTS_PER_NEPER·f·t while f·t is small (derived).  A temperature moves the offset, and the
scale by as much an octave (common practice, no source).  All parts are found together, by plain least squares; what
they are worth counts scatter that hangs together from note to note.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.causes.noise import estimate
from dynamis.pitch.laws import CENTS_PER_NEPER

FloatArray = NDArray[np.float64]
# Beyond the parameters, so that what is left tells of the scatter; and how far notes and temperatures lie apart.
_LEAST_MORE: Final = 4
_LEAST_OCTAVES: Final = 2.0
LEAST_KELVIN: Final = 1.0
# Parts that hang together by more than this cannot be told apart: it got warm as the notes rose.
_MOST_ALIKE: Final = 0.98


@dataclass(frozen=True)
class Part:
    """A size and its U = 2u; `expanded` is None where the readings do not tell."""

    size: float
    expanded: float | None

    @property
    def is_told(self) -> bool:
        return self.expanded is not None and abs(self.size) > self.expanded

    @property
    def reaches(self) -> float:
        """How large it may be, with its uncertainty."""
        return abs(self.size) + (self.expanded or 0.0)


@dataclass(frozen=True)
class Tracking:
    """scale : cents an octave; offset : cents in the middle of the notes; reset : seconds.

    top_hertz : the highest that was read.
    per_kelvin, scale_per_kelvin : cents a kelvin in the middle of the notes, and cents an octave a kelvin; None where
    no temperatures lie far enough apart.  kelvin : how far they do.  alike : whether temperature and notes rose so much
    together that the two cannot be parted.
    """

    scale: Part
    offset: Part
    reset: Part
    top_hertz: float
    per_kelvin: Part | None = None
    scale_per_kelvin: Part | None = None
    kelvin: float = 0.0
    alike: bool = False


def split_tracking(
    octaves: FloatArray, hertz: FloatArray, error_cents: FloatArray, own_cents: FloatArray, celsius: FloatArray
) -> Tracking | None:
    """Part the errors of an oscillator.

    Parameters
    ----------
    octaves, hertz : (N,) where each reading lies, and how often it was wanted to swing.
    error_cents, own_cents : (N,) found minus wanted, and the standard uncertainty that each reading has to itself.
    celsius : (N,) the temperature at each; NaN where it is not known, and then it is left out of the parts.

    Returns
    -------
    None where there are too few readings, or notes too near one another.
    """
    order = np.argsort(octaves, kind="stable")
    octaves, hertz, error, own, celsius = (one[order] for one in (octaves, hertz, error_cents, own_cents, celsius))
    if octaves.size < 3 + _LEAST_MORE or octaves[-1] - octaves[0] < _LEAST_OCTAVES or not np.all(np.isfinite(error)):
        return None
    x = octaves - np.mean(octaves)
    columns = [np.ones(x.size), x, -CENTS_PER_NEPER * hertz]
    known = bool(np.all(np.isfinite(celsius)))
    kelvin = float(np.ptp(celsius)) if known else 0.0
    away = celsius - np.mean(celsius)
    alike = kelvin >= LEAST_KELVIN and abs(float(np.corrcoef(x, away)[0, 1])) > _MOST_ALIKE
    warms = kelvin >= LEAST_KELVIN and not alike and x.size >= 5 + _LEAST_MORE
    if warms:
        columns += [away, away * x]
    found = estimate(np.column_stack(columns), error, octaves, own)
    parts = [Part(float(size), found.expanded(row)) for size, row in zip(found.values, found.weights, strict=True)]
    moved, scale_moved = (parts[3], parts[4]) if warms else (None, None)
    return Tracking(parts[1], parts[0], parts[2], float(hertz[-1]), moved, scale_moved, kelvin, alike)
