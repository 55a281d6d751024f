"""Pearson III and log-Pearson III distributions, by mean, standard deviation and skewness."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.frequency.distributions.distribution import HOSKING, Distribution
from tarnwater.rain.frequency.moments import LMoments

#: Skewness below which the distribution is the normal one to double precision of its quantiles.
NORMAL = 1e-5

#: Steps of the secant method after the approximation, which is within 5e-5 of the shape.
STEPS = 4


def _shape_of_skewness(skewness: Floats) -> Floats:
    """Shape of the gamma distribution with an L-skewness, 6 I(1/3; a, 2a) - 3.

    Begins with the rational approximation of Hosking and Wallis (1997) and ends with the secant method on ln a.
    """
    from scipy.special import betainc

    t = np.clip(np.abs(skewness), 1e-7, 0.9999)
    z = 3 * np.pi * t * t
    low = (1 + 0.2906 * z) / (z + 0.1882 * z * z + 0.0442 * z**3)
    u = 1 - t
    high = (0.36067 * u - 0.59567 * u**2 + 0.25361 * u**3) / (1 - 2.78861 * u + 2.56096 * u**2 - 0.77045 * u**3)
    last = np.log(np.where(t < 1 / 3, low, high))

    def short_of(logs: Floats) -> Floats:
        a = np.exp(logs)
        return np.asarray(6 * betainc(a, 2 * a, 1 / 3) - 3 - t)

    this = last + 1e-4
    error, before = short_of(this), short_of(last)
    for _ in range(STEPS):
        with np.errstate(invalid="ignore", divide="ignore"):
            moved = np.where(error == before, this, this - error * (this - last) / (error - before))
        last, before, this = this, error, moved
        error = short_of(this)
    return np.exp(this)


def _by_l_moments(moments: LMoments) -> Floats:
    """Mean λ1; λ2 = β Γ(a + 1/2) / (√π Γ(a)), the standard deviation β √a and the skewness 2 / √a."""
    from scipy.special import gammaln

    a = _shape_of_skewness(moments.skewness)
    spread = moments.second * np.sqrt(np.pi) * np.exp(gammaln(a) - gammaln(a + 0.5)) * np.sqrt(a)
    skew = np.sign(moments.skewness) * 2 / np.sqrt(a)
    normal = np.abs(moments.skewness) < 1e-6
    return np.stack(
        [moments.first, np.where(normal, np.sqrt(np.pi) * moments.second, spread), np.where(normal, 0.0, skew)], axis=-1
    )


def _quantile(parameters: Floats, probability: Floats) -> Floats:
    from scipy.special import gammainccinv, gammaincinv, ndtri

    mean, spread, skew = (parameters[..., n] for n in range(3))
    probability = np.asarray(probability, float)
    some = np.where(np.abs(skew) < NORMAL, NORMAL, skew)
    a = 4 / some**2
    with np.errstate(invalid="ignore"):
        rising = np.where(some > 0, gammaincinv(a, probability), gammainccinv(a, probability))
    factor = (rising - a) * some / 2
    return np.asarray(mean + spread * np.where(np.abs(skew) < NORMAL, ndtri(probability), factor))


def _probability(parameters: Floats, values: Floats) -> Floats:
    from scipy.special import gammainc, gammaincc, ndtr

    mean, spread, skew = (parameters[..., n] for n in range(3))
    z = (values - mean) / spread
    some = np.where(np.abs(skew) < NORMAL, NORMAL, skew)
    a = 4 / some**2
    g = np.maximum(a + 2 * z / some, 0.0)
    found = np.where(some > 0, gammainc(a, g), gammaincc(a, g))
    return np.asarray(np.where(np.abs(skew) < NORMAL, ndtr(z), found))


def _log_density(parameters: Floats, values: Floats) -> Floats:
    from scipy.special import gammaln

    mean, spread, skew = (parameters[..., n] for n in range(3))
    z = (values - mean) / spread
    some = np.where(np.abs(skew) < NORMAL, NORMAL, skew)
    a = 4 / some**2
    g = a + 2 * z / some
    with np.errstate(invalid="ignore", divide="ignore"):
        inside = (a - 1) * np.log(np.maximum(g, 1e-300)) - g - gammaln(a) + np.log(2 / (np.abs(some) * spread))
    normal = -0.5 * z * z - np.log(spread) - 0.5 * np.log(2 * np.pi)
    return np.where(np.abs(skew) < NORMAL, normal, np.where(g > 0, inside, -np.inf))


class PearsonThree(Distribution):
    """A gamma distribution from a lower bound, or up to an upper one where the skewness is below zero."""

    method: Literal["pearson-three"] = "pearson-three"

    title: ClassVar[str] = "Pearson III"
    equation: ClassVar[str] = "x(F) = μ + σ K(F, γ)"
    source: ClassVar[str] = f"Pearson (1895), Philosophical Transactions A 186; L-moments: {HOSKING}"
    verified: ClassVar[str] = "SciPy's pearson3 on large samples of both signs of the skewness, by both ways of fitting"
    symbols: ClassVar[tuple[str, ...]] = ("μ", "σ", "γ")
    bounds: ClassVar[tuple[float, float] | None] = (-1.95, 1.95)

    def by_l_moments(self, moments: LMoments) -> Floats:
        """Mean, standard deviation and skewness by the L-moments."""
        return _by_l_moments(moments)

    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability."""
        return _quantile(parameters, probability)

    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded."""
        return _probability(parameters, values)

    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density."""
        return _log_density(parameters, values)


class LogPearsonThree(Distribution):
    """The logarithms of the values follow a Pearson III distribution."""

    method: Literal["log-pearson-three"] = "log-pearson-three"

    title: ClassVar[str] = "log-Pearson III"
    equation: ClassVar[str] = "ln x(F) = μ + σ K(F, γ)"
    source: ClassVar[str] = f"Benson (1968), Water Resources Research 4; L-moments: {HOSKING}"
    verified: ClassVar[str] = (
        "SciPy's pearson3 of the logarithms of large samples of both signs of the skewness, by all ways of fitting"
    )
    symbols: ClassVar[tuple[str, ...]] = ("μ", "σ", "γ")
    bounds: ClassVar[tuple[float, float] | None] = (-1.95, 1.95)
    of_logs: ClassVar[bool] = True

    def by_l_moments(self, moments: LMoments) -> Floats:
        """Mean, standard deviation and skewness of the logarithms by their L-moments."""
        return _by_l_moments(moments)

    def by_product_moments(self, sample: Floats) -> Floats:
        """Mean, standard deviation and skewness of the logarithms, the latter two without bias in their squares."""
        logs = np.log(sample)
        count, mean, spread = len(logs), logs.mean(), logs.std(ddof=1)
        skew = count * np.sum((logs - mean) ** 3) / ((count - 1) * (count - 2) * spread**3)
        return np.array([mean, spread, skew])

    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability."""
        return np.exp(_quantile(parameters, probability))

    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded."""
        return _probability(parameters, np.log(values))

    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density."""
        logs = np.log(values)
        return np.asarray(_log_density(parameters, logs) - logs)
