"""When a number may be claimed: its own uncertainty, widened for few readings and many places looked at."""

from __future__ import annotations

from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]


def claim_factor(degrees_of_freedom: float, trials: int = 1) -> float:
    """How many standard uncertainties a number must exceed, at a risk of 2.5 % on each side.

    degrees_of_freedom : of the scatter that the uncertainty was taken from; infinite is allowed.
    trials : at how many places the largest was looked for (Bonferroni).

    Never below 2, the coverage factor that is shown.
    Source: Student's t by the expansion of Abramowitz & Stegun 26.7.5, from memory; checked in the tests
    against a reference library.
    """
    z = NormalDist().inv_cdf(1.0 - 0.025 / max(1, trials))
    if not np.isfinite(degrees_of_freedom):
        return max(2.0, z)
    v = max(1.0, degrees_of_freedom)
    g1 = (z**3 + z) / 4
    g2 = (5 * z**5 + 16 * z**3 + 3 * z) / 96
    g3 = (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / 384
    g4 = (79 * z**9 + 776 * z**7 + 1482 * z**5 - 1920 * z**3 - 945 * z) / 92160
    return float(max(2.0, z + g1 / v + g2 / v**2 + g3 / v**3 + g4 / v**4))
