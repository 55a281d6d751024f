"""Fitting a distribution to a sample, and the limits of its quantiles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import OutOfRange
from tarnwater.progress import Progress
from tarnwater.rain.frequency.distributions import Distribution
from tarnwater.rain.frequency.moments import l_moments

#: A way of fitting. Product moments are of the logarithms, for distributions of logarithms.
Way = Literal["L-moments", "maximum likelihood", "product moments"]

#: Values below which a fit is refused.
LEAST_SAMPLE = 5

#: Times the length of a record beyond which a return period is doubted.
BEYOND_RECORD = 3.0


@dataclass(frozen=True, eq=False)
class Fit:
    """A distribution with the parameters (p,) that a way of fitting gave for a sample (n,) in rising order.

    A sample of peaks over a threshold has a ``rate``, peaks a year; one of annual maxima has none.
    """

    distribution: Distribution
    way: Way
    parameters: Floats
    sample: Floats
    at_bound: tuple[str, ...] = ()
    rate: float | None = None

    def quantile(self, return_period: float | Floats) -> Floats:
        """Values of return periods in years between annual maxima; NaN below a threshold."""
        return self.distribution.quantile(self.parameters, self.not_exceeded(return_period))

    def not_exceeded(self, return_period: float | Floats) -> Floats:
        """Probabilities of the distribution at return periods in years between annual maxima.

        Peaks over a threshold come as a Poisson process, so that 1 - 1/T = exp(-λ (1 - F)); NaN where F is below zero.
        """
        rare = 1 / np.asarray(return_period, float)
        if self.rate is None:
            return np.asarray(1 - rare)
        found = 1 + np.log1p(-rare) / self.rate
        return np.where(found < -1e-12, np.nan, np.maximum(found, 0.0))

    def annual(self, probabilities: Floats) -> Floats:
        """Probabilities that no value of a year exceeds, of probabilities of the distribution."""
        if self.rate is None:
            return probabilities
        return np.asarray(np.exp(-self.rate * (1 - probabilities)))

    def return_period(self, value: float | Floats) -> Floats:
        """Return periods of values, years between annual maxima."""
        own = self.distribution.probability(self.parameters, np.asarray(value, float))
        with np.errstate(divide="ignore"):
            return np.asarray(1 / (1 - self.annual(own)))

    @cached_property
    def positions(self) -> Floats:
        """Probabilities at which the values of the sample are drawn, (n,)."""
        return self.distribution.position.probabilities(len(self.sample))


def refuse_sample(distribution: Distribution, sample: Floats, where: str = "") -> None:
    """Raise `OutOfRange` for a sample to which a distribution cannot be fitted."""
    if len(sample) < LEAST_SAMPLE:
        raise OutOfRange(
            f"{len(sample)} maxima are too few for a fit; it needs {LEAST_SAMPLE}.",
            where=where,
            remedy="Use more years, or a lower completeness.",
        )
    if not np.isfinite(sample).all() or sample.max() == sample.min():
        raise OutOfRange("the maxima do not differ.", where=where, remedy="Look at the record.")
    if distribution.of_logs and sample.min() <= 0:
        raise OutOfRange(
            f"{distribution.title} needs maxima above zero; one is {sample.min():g}.",
            where=where,
            remedy="Choose another distribution, or leave the year out.",
        )


def fit(distribution: Distribution, sample: Floats, way: Way = "L-moments", where: str = "") -> Fit:
    """Fit a distribution to a sample (n,), in any order; `OutOfRange` if it cannot be fitted."""
    sample = np.sort(np.asarray(sample, float))
    refuse_sample(distribution, sample, where)
    start = by_l_moments(distribution, sample)
    if way == "L-moments":
        return Fit(distribution, way, start, sample)
    if way == "product moments":
        found = distribution.by_product_moments(sample)
        if found is None:
            raise OutOfRange(
                f"product moments of logarithms are not offered for {distribution.title}.",
                where=where,
                remedy="Fit by L-moments or by maximum likelihood.",
            )
        return Fit(distribution, way, found, sample)
    likely = distribution.most_likely(sample, start)
    return Fit(distribution, way, likely.parameters, sample, likely.at_bound)


def by_l_moments(distribution: Distribution, ordered: Floats) -> Floats:
    """Parameters (..., p) by the L-moments of samples (..., n) in rising order, or of their logarithms."""
    return distribution.by_l_moments(l_moments(np.log(ordered) if distribution.of_logs else ordered))


# limits


@dataclass(frozen=True, eq=False)
class Limits:
    """Lower and upper limits of quantiles at return periods, by a parametric bootstrap.

    ``low`` and ``high`` are (period,), or (fit, period) for several fits; ``level`` is the share of the bootstrap
    quantiles between them.
    """

    return_periods: tuple[float, ...]
    low: Floats
    high: Floats
    level: float
    draws: int

    @property
    def name(self) -> str:
        """What they are, in words."""
        return f"{100 * self.level:g} % limits, parametric bootstrap of {self.draws:,} samples"


def limits(
    fits: Sequence[Fit],
    return_periods: Sequence[float],
    *,
    level: float = 0.9,
    draws: int = 1000,
    seed: int = 1,
    progress: Progress | None = None,
) -> Limits:
    """Limits of the quantiles of fits by a parametric bootstrap.

    Samples as large as the own one are drawn from each fit and fitted in the same way. Fits of samples of one size
    share their draws. ``low`` and ``high`` are (fit, period).
    """
    low, high = (np.empty((len(fits), len(return_periods))) for _ in range(2))
    ends = [50 * (1 - level), 50 * (1 + level)]
    sizes = sorted({len(one.sample) for one in fits})
    for done, size in enumerate(sizes):
        rows = [n for n, one in enumerate(fits) if len(one.sample) == size]
        found = bootstrap_quantiles([fits[n] for n in rows], return_periods, draws, seed, progress)
        low[rows], high[rows] = np.percentile(found, ends, axis=0)
        if progress is not None:
            progress.tell("limits", (done + 1) / len(sizes))
    return Limits(tuple(return_periods), low, high, level, draws)


def bootstrap_quantiles(
    fits: Sequence[Fit], return_periods: Sequence[float], draws: int, seed: int, progress: Progress | None = None
) -> Floats:
    """Quantiles (draw, fit, period) of samples drawn from fits of one size of sample."""
    reduced = ordered_draws(draws, len(fits[0].sample), seed)
    periods = np.asarray(return_periods, float)
    found = np.empty((draws, len(fits), len(periods)))
    for column, one in enumerate(fits):
        samples = one.distribution.quantile_at(one.parameters, reduced)
        again = parameters_of(one.distribution, one.way, samples, progress)
        found[:, column] = one.distribution.quantile(again[:, None, :], one.not_exceeded(periods))
    return found


def parameters_of(distribution: Distribution, way: Way, samples: Floats, progress: Progress | None) -> Floats:
    """Parameters (draw, p) of samples (draw, n) in rising order."""
    if way == "L-moments":
        return by_l_moments(distribution, samples)
    if way == "product moments":
        return np.array([distribution.by_product_moments(sample) for sample in samples])
    between = (lambda: None) if progress is None else progress.raise_if_cancelled
    return distribution.most_likely_of_many(samples, by_l_moments(distribution, samples), between)


def ordered_draws(draws: int, count: int, seed: int) -> Floats:
    """Samples (draws, count) of the Gumbel reduced variate in rising order, -ln of exponential ones in falling order.

    Rényi (1953, Acta Mathematica 4): the i-th least of n is the sum of z_j / (n - j + 1) over j to i, z independent
    standard exponentials; so nothing has to be sorted.
    """
    spacings = np.random.default_rng(seed).standard_exponential((draws, count))
    spacings /= np.arange(1, count + 1)
    return np.asarray(-np.log(np.cumsum(spacings[:, ::-1], axis=1)[:, ::-1]))


def doubtful_periods(return_periods: Sequence[float], years: int) -> list[float]:
    """Return periods beyond three times the years of a record."""
    return [t for t in return_periods if t > BEYOND_RECORD * years]
