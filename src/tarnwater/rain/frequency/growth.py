"""Depths of all durations at once, so that their curves do not cross."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.progress import Progress
from tarnwater.rain.frequency.distributions import Distribution
from tarnwater.rain.frequency.fits import Fit, Limits, Way, fit, limits
from tarnwater.rain.frequency.moments import LMoments, l_moments
from tarnwater.units import show_duration

#: How curves are kept from crossing: one growth curve for all durations, or the nearest depths that rise.
Together = Literal["one growth curve", "nearest rising depths"]


@dataclass(frozen=True, eq=False)
class DepthFrequency:
    """Depths (duration, period) of all durations with their limits, and the fits that they are from.

    ``fitted`` are the depths before they were made to rise with duration; ``growth`` is the one growth curve, a fit of
    maxima over their mean, where that was chosen.
    """

    durations: tuple[int, ...]
    return_periods: tuple[float, ...]
    together: Together
    fits: tuple[Fit, ...]
    fitted: Floats
    depths: Floats
    growth: Fit | None = None
    limits: Limits | None = None

    @property
    def shifts(self) -> Floats:
        """What made the depths rise added to them, (duration, period)."""
        return np.asarray(self.depths - self.fitted)

    @property
    def greatest_shift(self) -> tuple[int, float, float]:
        """Duration (s), return period and shift where the shift is the greatest share of its depth."""
        row, column = np.unravel_index(np.argmax(np.abs(self.shifts) / self.fitted), self.depths.shape)
        return self.durations[row], self.return_periods[column], float(self.shifts[row, column])


def depth_frequency(
    samples: Mapping[int, Floats],
    return_periods: Sequence[float],
    distribution: Distribution,
    *,
    way: Way = "L-moments",
    together: Together = "one growth curve",
    level: float = 0.9,
    draws: int = 1000,
    progress: Progress | None = None,
) -> DepthFrequency:
    """Depths of durations (s) at return periods (years between annual maxima), from a sample (n,) of each duration.

    With one growth curve a depth is the mean of its duration times a quantile common to all; it is fitted to the
    maxima of all durations over their means, by L-moments weighted with the sizes of the samples (Hosking and Wallis
    1997), or to all of them at once. Means that do not rise with duration, or the depths of each return period of
    separate fits, are replaced by the nearest ones (least squares) that do.
    """
    durations = tuple(sorted(samples))
    periods = tuple(return_periods)
    growth = (
        common_growth(distribution, way, [samples[d] for d in durations]) if together == "one growth curve" else None
    )
    if growth is None:
        fits = tuple(fit(distribution, samples[d], way, show_duration(d)) for d in durations)
        fitted = np.stack([one.quantile(np.array(periods)) for one in fits])
    else:
        means = np.array([samples[d].mean() for d in durations])
        fits = tuple(_scaled(growth, samples[d]) for d in durations)
        fitted = means[:, None] * growth.quantile(np.array(periods))
    depths = rising(fitted)
    bands = limits(fits, periods, level=level, draws=draws, progress=progress) if draws else None
    return DepthFrequency(durations, periods, together, fits, fitted, depths, growth, bands)


def rising(depths: Floats) -> Floats:
    """The nearest depths (duration, period), by least squares, that do not fall with duration.

    Depths that rise with the return period still do, because isotonic regression keeps the order of what it is given.
    """
    from scipy.optimize import isotonic_regression

    return np.stack([isotonic_regression(column).x for column in depths.T], axis=1)


def common_growth(distribution: Distribution, way: Way, samples: Sequence[Floats]) -> Fit:
    """One fit of samples over their means; by L-moments weighted with their sizes, or of all values at once."""
    shares = [sample / sample.mean() for sample in samples]
    whole = np.sort(np.concatenate(shares))
    if way != "L-moments":
        return fit(distribution, whole, way, "all durations")
    fit(distribution, whole, way, "all durations")  # refuses what cannot be fitted
    moments = [l_moments(np.sort(np.log(s) if distribution.of_logs else s)) for s in shares]
    sizes = np.array([len(s) for s in shares], float)
    common = LMoments(*(np.average([m[n] for m in moments], weights=sizes) for n in range(4)))
    parameters = distribution.by_l_moments(LMoments(*(np.asarray(part) for part in common)))
    return Fit(distribution, way, parameters, whole)


def _scaled(growth: Fit, sample: Floats) -> Fit:
    """The growth curve over the mean of a sample, as a fit of that sample."""
    return Fit(
        growth.distribution, growth.way, growth.distribution.scaled(growth.parameters, sample.mean()), np.sort(sample)
    )
