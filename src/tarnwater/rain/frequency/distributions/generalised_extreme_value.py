"""Generalised extreme value distribution, with the sign of the shape as in Hosking."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.frequency.distributions.distribution import HOSKING, Distribution
from tarnwater.rain.frequency.moments import LMoments

LN2, LN3 = np.log(2.0), np.log(3.0)

#: Steps of Newton's method after the approximation, which is within 9e-4 of the shape.
STEPS = 3


def shape_of_skewness(skewness: Floats) -> Floats:
    """Shape k with an L-skewness, 2 (1 - 3^-k) / (1 - 2^-k) - 3.

    Begins with the approximation of Hosking, Wallis and Wood (1985, Technometrics 27) and ends with Newton's method.
    """
    skewness = np.clip(skewness, -0.99, 0.99)
    c = 2 / (3 + skewness) - LN2 / LN3
    k = 7.8590 * c + 2.9554 * c * c
    for _ in range(STEPS):
        k = np.where(np.abs(k) < 1e-6, 1e-6, k)
        two, three = -np.expm1(-k * LN2), -np.expm1(-k * LN3)
        found = 2 * three / two - 3
        slope = 2 * (LN3 * (1 - three) * two - LN2 * (1 - two) * three) / (two * two)
        k = k - (found - skewness) / slope
    return np.asarray(k)


class GeneralisedExtremeValue(Distribution):
    """Heavy upper tail where k is below zero, an upper bound ξ + α / k where it is above, Gumbel where it is zero."""

    method: Literal["generalised-extreme-value"] = "generalised-extreme-value"

    title: ClassVar[str] = "generalised extreme value"
    equation: ClassVar[str] = "x(F) = ξ + α [1 − (−ln F)^k] / k"
    source: ClassVar[str] = f"Jenkinson (1955), Quarterly Journal 81; L-moments: {HOSKING}"
    verified: ClassVar[str] = (
        "closed forms of its L-moments; SciPy's genextreme on large samples of both signs of the shape, by both ways"
    )
    symbols: ClassVar[tuple[str, ...]] = ("ξ", "α", "k")
    bounds: ClassVar[tuple[float, float] | None] = (-0.9, 0.9)

    def by_l_moments(self, moments: LMoments) -> Floats:
        """λ2 = α (1 - 2^-k) Γ(1 + k) / k, λ1 = ξ + α [1 - Γ(1 + k)] / k, k by the L-skewness."""
        from scipy.special import gamma

        k = shape_of_skewness(moments.skewness)
        k = np.where(np.abs(k) < 1e-9, 1e-9, k)
        g = gamma(1 + k)
        scale = moments.second * k / (-np.expm1(-k * LN2) * g)
        return np.stack([moments.first - scale * (1 - g) / k, scale, k], axis=-1)

    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability."""
        return self.quantile_at(parameters, -np.log(-np.log(probability)))

    def quantile_at(self, parameters: Floats, reduced: Floats) -> Floats:
        """Values at Gumbel reduced variates."""
        place, scale, k = (parameters[..., n] for n in range(3))
        k = np.where(np.abs(k) < 1e-9, 1e-9, k)
        found = np.expm1(-k * reduced)
        found *= -scale / k
        found += place
        return np.asarray(found)

    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded."""
        return np.exp(-np.exp(-self._reduced(parameters, values)))

    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density."""
        y = self._reduced(parameters, values)
        with np.errstate(over="ignore", invalid="ignore"):
            inside = -np.log(parameters[..., 1]) - (1 - parameters[..., 2]) * y - np.exp(-y)
        return np.where(np.isfinite(y), inside, -np.inf)

    def _reduced(self, parameters: Floats, values: Floats) -> Floats:
        """Reduced variate -ln(1 - k (x - ξ) / α) / k; infinite beyond the bound of the distribution."""
        place, scale, k = (parameters[..., n] for n in range(3))
        k = np.where(np.abs(k) < 1e-9, 1e-9, k)
        z = (values - place) / scale
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(k * z < 1, -np.log1p(-np.minimum(k * z, 1 - 1e-16)) / k, np.inf * np.sign(k))
