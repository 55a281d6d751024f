"""Depths of all durations at once from peaks over thresholds, so that their curves do not cross."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import OutOfRange
from tarnwater.progress import Progress
from tarnwater.rain.frequency.distributions import GeneralisedPareto
from tarnwater.rain.frequency.fits import Fit, Way, fit, limits
from tarnwater.rain.frequency.growth import DepthFrequency, Together, common_growth, rising
from tarnwater.units import show_duration

#: Of what peaks exceed their threshold by.
EXCESS = GeneralisedPareto(threshold=0.0)


class Peaks(NamedTuple):
    """Peaks (n,) over a threshold, mm or m3/s, and how many of them come in a year."""

    values: Floats
    threshold: float
    rate: float


def peak_frequency(
    peaks: Mapping[int, Peaks],
    return_periods: Sequence[float],
    *,
    way: Way = "L-moments",
    together: Together = "one growth curve",
    level: float = 0.9,
    draws: int = 1000,
    progress: Progress | None = None,
) -> DepthFrequency:
    """Depths of durations (s) at return periods (years between annual maxima), from the peaks of each duration.

    A generalised Pareto distribution is fitted to what the peaks exceed their threshold by. With one growth curve that
    excess over its mean has one distribution for all durations. The limits hold the threshold and the rate. Raises
    `OutOfRange` for a return period so short that its depth is below the threshold.
    """
    durations = tuple(sorted(peaks))
    periods = tuple(return_periods)
    excesses = [peaks[d].values - peaks[d].threshold for d in durations]
    growth = common_growth(EXCESS, way, excesses) if together == "one growth curve" else None
    fits = []
    for duration, excess in zip(durations, excesses, strict=True):
        where = show_duration(duration) if duration else ""
        of_excess = fit(EXCESS, excess, way, where) if growth is None else growth
        scale = 1.0 if growth is None else float(excess.mean())
        fits.append(_over(of_excess, scale, peaks[duration]))
        _refuse_short_periods(fits[-1], periods, where)
    fitted = np.stack([one.quantile(np.array(periods)) for one in fits])
    bands = limits(fits, periods, level=level, draws=draws, progress=progress) if draws else None
    return DepthFrequency(durations, periods, together, tuple(fits), fitted, rising(fitted), growth, bands)


def _over(of_excess: Fit, scale: float, peaks: Peaks) -> Fit:
    """The fit of peaks, from one of their excess over a scale."""
    parameters = EXCESS.scaled(of_excess.parameters, scale) + np.array([peaks.threshold, 0.0, 0.0])
    return replace(
        of_excess,
        distribution=GeneralisedPareto(threshold=peaks.threshold),
        parameters=parameters,
        sample=np.sort(peaks.values),
        rate=peaks.rate,
    )


def _refuse_short_periods(one: Fit, periods: Sequence[float], where: str) -> None:
    below = [t for t in periods if np.isnan(one.not_exceeded(t))]
    if below:
        raise OutOfRange(
            f"1 in {below[0]:g} lies below the threshold, which {one.rate:.3g} peaks a year exceed.",
            where=where,
            remedy="Take more peaks a year, by a lower threshold, or leave that return period out.",
        )
