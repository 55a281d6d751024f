"""Log-normal distribution of two parameters."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.frequency.distributions.distribution import HOSKING, Distribution
from tarnwater.rain.frequency.moments import LMoments
from tarnwater.rain.frequency.plotting import BLOM, PlottingPosition


class LogNormal(Distribution):
    """The logarithms of the values are normal."""

    method: Literal["log-normal"] = "log-normal"

    title: ClassVar[str] = "log-normal"
    equation: ClassVar[str] = "ln x(F) = μ + σ Φ⁻¹(F)"
    source: ClassVar[str] = f"Chow (1954), Proceedings ASCE 80; L-moments: {HOSKING}"
    verified: ClassVar[str] = "closed forms of its L-moments; SciPy's lognorm on large samples, by all ways of fitting"
    symbols: ClassVar[tuple[str, ...]] = ("μ", "σ")
    of_logs: ClassVar[bool] = True
    position: ClassVar[PlottingPosition] = BLOM

    def by_l_moments(self, moments: LMoments) -> Floats:
        """μ = λ1, σ = √π λ2 of the logarithms."""
        return np.stack([moments.first, np.sqrt(np.pi) * moments.second], axis=-1)

    def by_product_moments(self, sample: Floats) -> Floats:
        """Mean and standard deviation of the logarithms."""
        logs = np.log(sample)
        return np.array([logs.mean(), logs.std(ddof=1)])

    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability."""
        from scipy.special import ndtri

        return np.asarray(np.exp(parameters[..., 0] + parameters[..., 1] * ndtri(probability)))

    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded."""
        from scipy.special import ndtr

        with np.errstate(divide="ignore"):
            return np.asarray(ndtr((np.log(values) - parameters[..., 0]) / parameters[..., 1]))

    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density."""
        logs = np.log(values)
        z = (logs - parameters[..., 0]) / parameters[..., 1]
        return np.asarray(-0.5 * z * z - logs - np.log(parameters[..., 1]) - 0.5 * np.log(2 * np.pi))
