"""First estimate of the storage of a pond from even rain, by the modified rational method."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from tarnwater.arrays import Floats

SOURCE = "Poertner (1974), APWA Special Report 43; Chow, Maidment and Mays (1988), Section 15.4"

#: How the release is taken to run: up in a straight line until the inflow has fallen to it, or the same throughout.
Release = Literal["rising", "constant"]
RELEASES: tuple[Release, ...] = get_args(Release)

#: Durations that are tried between the ends, on a logarithmic axis, before the best is looked at closely.
TRIED = 200


@dataclass(frozen=True)
class FirstStorage:
    """Greatest storage over all durations, m3, and the duration that needs it, s."""

    volume: float
    duration: float


def storage_needed(peak: float, duration: float, concentration: float, allowed: float, release: Release) -> float:
    """Storage (m3) under a trapezoid of a peak (m3/s) in even rain of a duration (s), with an allowed release (m3/s).

    The trapezoid rises and falls over the shorter of the duration and the time of concentration (s), and holds for
    their difference. With a release that rises straight, the storage is what lies above the line from its begin to
    where it falls to the release; with a constant one, what lies above that.
    """
    if peak <= allowed:
        return 0.0
    slope, held = min(duration, concentration), abs(duration - concentration)
    if release == "rising":
        return peak * (held + slope) - 0.5 * allowed * (held + 2 * slope)
    return (peak - allowed) * (held + slope * (1 - allowed / peak))


def storage_above(inflow: Floats, step: float, allowed: float, release: Release) -> float:
    """Storage (m3) that a hydrograph (step + 1,) m3/s of a step (s) needs under an allowed release (m3/s).

    With a constant release it is what lies above that. With a rising one it is what lies above the straight line from
    the last dry moment before the flood to where the inflow falls to the release for good.
    """
    above = np.flatnonzero(inflow > allowed)
    if not len(above):
        return 0.0
    times: Floats = step * np.arange(len(inflow), dtype=float)
    last = int(above[-1])
    end = times[-1]
    if last + 1 < len(inflow):
        end = times[last] + step * (inflow[last] - allowed) / (inflow[last] - inflow[last + 1])
    if release == "constant":
        line: Floats = np.full(len(inflow), allowed)
    else:
        peak = int(np.argmax(inflow))
        # the flood begins where the inflow leaves its lowest value before the peak
        low = inflow[: peak + 1].min()
        begin = times[int(np.flatnonzero(inflow[: peak + 1] <= low)[-1])]
        line = allowed * np.clip((times - begin) / max(end - begin, step), 0.0, 1.0)
    return _area_between(times, inflow - line, float(end))


def _area_between(times: Floats, gap: Floats, end: float) -> float:
    """Area of the positive part of a broken line until a time: each piece that crosses zero counts to there."""
    kept = times < end
    t = np.append(times[kept], end)
    g = np.append(gap[kept], np.interp(end, times, gap))
    first, then, span = g[:-1], g[1:], np.diff(t)
    low, high = np.minimum(first, then), np.maximum(first, then)
    with np.errstate(divide="ignore", invalid="ignore"):
        crossing = np.where(high > low, high / (high - low), 1.0)
    both = low >= 0
    part = np.where(both, 0.5 * (first + then), np.where(high > 0, 0.5 * high * crossing, 0.0))
    return float(np.sum(part * span))


def first_storage(
    rate: Callable[[float], float],
    area: float,
    concentration: float,
    allowed: float,
    release: Release,
    bounds: tuple[float, float],
) -> FirstStorage:
    """The greatest storage over durations within bounds (s).

    ``rate`` gives the mean excess (m/s) of even rain of a duration (s) on an ``area`` (m2).
    """
    from scipy.optimize import minimize_scalar

    def needed(duration: float) -> float:
        peak = area * rate(duration) * min(1.0, duration / concentration)
        return storage_needed(peak, duration, concentration, allowed, release)

    tried = np.geomspace(*bounds, TRIED)
    volumes = np.array([needed(float(one)) for one in tried])
    best = int(np.argmax(volumes))
    low, high = tried[max(best - 1, 0)], tried[min(best + 1, TRIED - 1)]
    found = minimize_scalar(lambda one: -needed(float(one)), bounds=(low, high), method="bounded",
                            options={"xatol": 1e-3})  # fmt: skip
    duration = float(found.x) if -found.fun >= volumes[best] else float(tried[best])
    return FirstStorage(needed(duration), duration)
