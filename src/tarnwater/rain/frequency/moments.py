"""Sample L-moments (Hosking 1990, Journal of the Royal Statistical Society B 52)."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import OutOfRange

#: Values that a sample needs for four L-moments.
LEAST = 4


class LMoments(NamedTuple):
    """First and second L-moment, L-skewness and L-kurtosis, each of the leading shape of the samples."""

    first: Floats
    second: Floats
    skewness: Floats
    kurtosis: Floats


@lru_cache(maxsize=64)
def _weights(count: int) -> Floats:
    """Weights (count, 4) of a sorted sample in its first four L-moments, by probability-weighted moments b0 to b3."""
    j = np.arange(count, dtype=float)
    b = np.ones((4, count))
    for order in range(1, 4):
        b[order] = b[order - 1] * (j - order + 1) / (count - order)
    b /= count
    return np.stack(
        [b[0], 2 * b[1] - b[0], 6 * b[2] - 6 * b[1] + b[0], 20 * b[3] - 30 * b[2] + 12 * b[1] - b[0]], axis=1
    )


def l_moments(ordered: Floats) -> LMoments:
    """Unbiased L-moments of samples (..., n) in rising order; `OutOfRange` for fewer than four values.

    >>> [round(float(m), 4) for m in l_moments(np.array([1.0, 2.0, 3.0, 4.0, 10.0]))]
    [4.0, 2.0, 0.5, 0.5]
    """
    count = ordered.shape[-1]
    if count < LEAST:
        raise OutOfRange(
            f"{count} values are too few for a fit; it needs {LEAST}.",
            remedy="Use more years, or a lower completeness.",
        )
    found = np.asarray(ordered @ _weights(count))
    first, second, third, fourth = (found[..., n] for n in range(4))
    with np.errstate(invalid="ignore", divide="ignore"):
        return LMoments(first, second, third / second, fourth / second)
