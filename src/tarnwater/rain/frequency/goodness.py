"""Tests of a fit and of a trend."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.progress import Progress
from tarnwater.rain.frequency.fits import Fit, ordered_draws, parameters_of

#: Probability below which a test speaks against a fit, or for a trend.
DOUBTED = 0.05


@dataclass(frozen=True)
class Goodness:
    """A statistic of a fit, and the share of samples of the fitted distribution that fit no better."""

    name: str
    statistic: float
    p: float
    draws: int

    @property
    def speaks_against(self) -> bool:
        """Whether the sample is unlikely under the fit."""
        return self.p < DOUBTED


@dataclass(frozen=True)
class Trend:
    """Mann-Kendall test: S, its normal variate and two-sided probability, and Sen's slope in units a year."""

    s: int
    z: float
    p: float
    slope: float

    @property
    def there(self) -> bool:
        """Whether there is a trend."""
        return self.p < DOUBTED


def anderson_darling(probabilities: Floats) -> Floats:
    """A² of probabilities (..., n) of samples in rising order (Anderson and Darling 1954, JASA 49)."""
    count = probabilities.shape[-1]
    inside = np.clip(probabilities, 1e-15, 1 - 1e-15)
    weights = 2 * np.arange(1, count + 1) - 1
    sums = (weights * (np.log(inside) + np.log1p(-inside[..., ::-1]))).sum(axis=-1)
    return np.asarray(-count - sums / count)


def plot_correlation(fit: Fit, parameters: Floats, samples: Floats) -> Floats:
    """Correlation of samples (..., n) in rising order with the quantiles of parameters (..., p) at their positions.

    Probability plot correlation coefficient (Filliben 1975, Technometrics 17).
    """
    wanted = fit.distribution.quantile(parameters[..., None, :], fit.positions)
    a = samples - samples.mean(axis=-1, keepdims=True)
    b = wanted - wanted.mean(axis=-1, keepdims=True)
    return np.asarray((a * b).sum(axis=-1) / np.sqrt((a * a).sum(axis=-1) * (b * b).sum(axis=-1)))


def goodness(
    fit: Fit, *, draws: int = 999, seed: int = 1, progress: Progress | None = None
) -> tuple[Goodness, Goodness]:
    """Anderson-Darling and probability plot correlation of a fit, each with its probability by simulation.

    Samples are drawn from the fit and fitted again in the same way, since the parameters are fitted too. The
    probability is (1 + samples that fit no better) / (1 + samples).
    """
    distribution = fit.distribution
    samples = distribution.quantile_at(fit.parameters, ordered_draws(draws, len(fit.sample), seed))
    again = parameters_of(distribution, fit.way, samples, progress)
    own = float(anderson_darling(distribution.probability(fit.parameters, fit.sample)))
    drawn = anderson_darling(distribution.probability(again[:, None, :], samples))
    own_plot = float(plot_correlation(fit, fit.parameters, fit.sample))
    drawn_plot = plot_correlation(fit, again, samples)
    return (
        Goodness("Anderson-Darling A²", own, _share(drawn >= own), draws),
        Goodness("probability plot correlation", own_plot, _share(drawn_plot <= own_plot), draws),
    )


def _share(no_better: Flags) -> float:
    return (1 + int(np.count_nonzero(no_better))) / (1 + no_better.size)


@dataclass(frozen=True)
class Dispersion:
    """Variance over mean of the numbers of peaks in years, 1 for a Poisson process, and its two-sided probability."""

    index: float
    p: float

    @property
    def speaks_against(self) -> bool:
        """Whether the peaks are unlikely to come as a Poisson process."""
        return self.p < DOUBTED


def dispersion(counts: Integers) -> Dispersion:
    """Dispersion test of numbers of peaks in years (n,): (n - 1) d is χ² of n - 1 degrees (Cunnane 1979, WRR 15)."""
    from scipy.special import chdtr, chdtrc

    years = len(counts)
    if years < 2:
        return Dispersion(1.0, 1.0)
    index = float(counts.var(ddof=1) / counts.mean())
    tails = chdtr(years - 1, (years - 1) * index), chdtrc(years - 1, (years - 1) * index)
    return Dispersion(index, float(min(1.0, 2 * min(tails))))


def mann_kendall(values: Floats, years: Floats) -> Trend:
    """Trend of values (n,) over years (n,), by Mann (1945) and Kendall (1975) with the correction for ties.

    The slope is the median of the slopes between all pairs (Sen 1968, JASA 63).
    """
    from scipy.special import ndtr

    first, second = np.triu_indices(len(values), 1)
    rises = values[second] - values[first]
    s = int(np.sign(rises).sum())
    count = len(values)
    _, ties = np.unique(values, return_counts=True)
    variance = (count * (count - 1) * (2 * count + 5) - (ties * (ties - 1) * (2 * ties + 5)).sum()) / 18
    z = 0.0 if s == 0 or variance <= 0 else (s - np.sign(s)) / np.sqrt(variance)
    slope = float(np.median(rises / (years[second] - years[first]))) if len(first) else 0.0
    return Trend(s, float(z), float(2 * ndtr(-abs(z))), slope)
