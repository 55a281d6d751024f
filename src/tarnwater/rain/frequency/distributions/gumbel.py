"""Gumbel, the extreme value distribution of type I."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.frequency.distributions.distribution import HOSKING, Distribution
from tarnwater.rain.frequency.moments import LMoments
from tarnwater.rain.frequency.plotting import GRINGORTEN, PlottingPosition


class Gumbel(Distribution):
    """Exponential tail: on the Gumbel reduced variate it is a straight line."""

    method: Literal["gumbel"] = "gumbel"

    title: ClassVar[str] = "Gumbel"
    equation: ClassVar[str] = "x(F) = ξ − α ln(−ln F)"
    source: ClassVar[str] = f"Gumbel (1958), Statistics of Extremes; L-moments: {HOSKING}"
    verified: ClassVar[str] = (
        "closed forms of its L-moments; SciPy's gumbel_r on large samples, by both ways of fitting"
    )
    symbols: ClassVar[tuple[str, ...]] = ("ξ", "α")
    position: ClassVar[PlottingPosition] = GRINGORTEN

    def by_l_moments(self, moments: LMoments) -> Floats:
        """α = λ2 / ln 2, ξ = λ1 - γ α."""
        scale = moments.second / np.log(2)
        return np.stack([moments.first - np.euler_gamma * scale, scale], axis=-1)

    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability."""
        return self.quantile_at(parameters, -np.log(-np.log(probability)))

    def quantile_at(self, parameters: Floats, reduced: Floats) -> Floats:
        """Values at Gumbel reduced variates."""
        return np.asarray(parameters[..., 0] + parameters[..., 1] * reduced)

    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded."""
        with np.errstate(over="ignore"):
            return np.exp(-np.exp(-(values - parameters[..., 0]) / parameters[..., 1]))

    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density."""
        z = (values - parameters[..., 0]) / parameters[..., 1]
        with np.errstate(over="ignore"):
            return np.asarray(-np.log(parameters[..., 1]) - z - np.exp(-z))
