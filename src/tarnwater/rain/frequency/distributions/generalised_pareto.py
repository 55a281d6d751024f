"""Generalised Pareto distribution, of peaks over a threshold."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.frequency.distributions.distribution import HOSKING, Distribution
from tarnwater.rain.frequency.moments import LMoments


class GeneralisedPareto(Distribution):
    """Heavy upper tail where k is below zero, an upper bound where it is above; exponential where it is zero.

    ``threshold`` fixes ξ: the threshold over which the peaks are. Without it ξ is fitted too.
    """

    method: Literal["generalised-pareto"] = "generalised-pareto"
    threshold: float | None = None

    title: ClassVar[str] = "generalised Pareto"
    equation: ClassVar[str] = "x(F) = ξ + α [1 − (1 − F)^k] / k"
    source: ClassVar[str] = f"Hosking and Wallis (1987), Technometrics 29; L-moments: {HOSKING}"
    verified: ClassVar[str] = (
        "closed forms of its L-moments; SciPy's genpareto on large samples of both signs of the shape, by both ways"
    )
    symbols: ClassVar[tuple[str, ...]] = ("ξ", "α", "k")
    bounds: ClassVar[tuple[float, float] | None] = (-0.9, 0.9)

    def by_l_moments(self, moments: LMoments) -> Floats:
        """k = (1 - 3 t3) / (1 + t3), α = (1 + k) (2 + k) λ2, ξ = λ1 - (2 + k) λ2.

        With ξ known k = (λ1 - ξ) / λ2 - 2 and α = (1 + k) (λ1 - ξ).
        """
        if self.threshold is not None:
            excess = moments.first - self.threshold
            k = excess / moments.second - 2
            return np.stack([np.full_like(k, self.threshold), (1 + k) * excess, k], axis=-1)
        k = (1 - 3 * moments.skewness) / (1 + moments.skewness)
        return np.stack([moments.first - (2 + k) * moments.second, (1 + k) * (2 + k) * moments.second, k], axis=-1)

    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability."""
        place, scale, k = (parameters[..., n] for n in range(3))
        k = np.where(np.abs(k) < 1e-9, 1e-9, k)
        return np.asarray(place - scale * np.expm1(k * np.log1p(-probability)) / k)

    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded."""
        y = self._reduced(parameters, values)
        return np.where(y < 0, 0.0, -np.expm1(-np.maximum(y, 0.0)))

    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density."""
        y = self._reduced(parameters, values)
        with np.errstate(invalid="ignore"):
            inside = -np.log(parameters[..., 1]) - (1 - parameters[..., 2]) * y
        return np.where(np.isfinite(y) & (y >= -1e-12), inside, -np.inf)

    def _reduced(self, parameters: Floats, values: Floats) -> Floats:
        place, scale, k = (parameters[..., n] for n in range(3))
        k = np.where(np.abs(k) < 1e-9, 1e-9, k)
        z = (values - place) / scale
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(k * z < 1, -np.log1p(-np.minimum(k * z, 1 - 1e-16)) / k, np.inf)

    def _place_of(self, samples: Floats) -> Floats:
        """The threshold, or the least value of each sample."""
        return samples[:, 0] if self.threshold is None else np.full(len(samples), self.threshold)

    def _held(self, ordered: Floats, start: Floats) -> Callable[[Floats], Floats]:
        """ξ is the threshold, or at most the least value, where the likelihood is greatest."""
        place = float(ordered[0]) if self.threshold is None else self.threshold

        def held(parameters: Floats) -> Floats:
            return np.array([place, *parameters[1:]])

        return held
