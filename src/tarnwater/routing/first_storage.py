"""First estimate of the storage of a pond from even rain, by the modified rational method."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

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
