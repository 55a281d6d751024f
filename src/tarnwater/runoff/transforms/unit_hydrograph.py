"""A unit hydrograph at the step of a run."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np


@dataclass(frozen=True, eq=False)
class UnitHydrograph:
    """Flow from 1 mm of excess that falls evenly in one step.

    Parameters
    ----------
    ordinates : (length,) m3/s per mm at the ends of the steps, the first at the end of the step of the rain.
    volumes : (length,) m3 per mm that leave in each step; together 1 mm over the catchment.
    step : s.
    inner : inner steps in one step, 1 where the step is fine enough.
    duration : of the curve it was read from, s.
    time_to_peak, peak : of the curve before scaling, s and m3/s per mm.
    scale : factor that brought the ordinates to unit volume.
    curve : which curve it was read from.
    """

    ordinates: np.ndarray
    volumes: np.ndarray
    step: float
    inner: int
    duration: float
    time_to_peak: float
    peak: float
    scale: float
    curve: str

    @cached_property
    def uneven(self) -> np.ndarray:
        """What the volume of each step exceeds the trapezoid of its ordinates by, m3 per mm, (length + 1,)."""
        ends = np.concatenate([[0.0], self.ordinates, [0.0]])
        return np.append(self.volumes, 0.0) - 0.5 * self.step * (ends[1:] + ends[:-1])


def inner_steps(step: float, longest: float) -> int:
    """Whole parts into which a step is cut so that none is longer than ``longest``, in the unit of the step."""
    return max(1, math.ceil(step / longest - 1e-9))


def at_step(
    curve: Callable[[np.ndarray], np.ndarray], base: float, area: float, step: float, inner: int
) -> tuple[np.ndarray, np.ndarray, float]:
    """Read a curve at inner steps, scale it to unit volume, and gather it to the step.

    Parameters
    ----------
    curve : flow (m3/s per mm) of rain in one inner step, as a function of time (s).
    base : s after which it is zero.
    area : m2.

    Returns the ordinates and volumes of a `UnitHydrograph`, and the scale factor. Rain is even
    within the step, so the response to a step's rain is the mean of ``inner`` shifted responses.
    """
    fine = step / inner
    count = max(1, math.ceil(base / fine - 1e-9))
    flow = curve(np.arange(count + 1) * fine)
    whole = fine * (flow.sum() - 0.5 * (flow[0] + flow[-1]))
    scale = 0.001 * area / whole
    flow = flow * scale
    spread = np.convolve(flow, np.full(inner, 1.0 / inner))
    steps = math.ceil((len(spread) - 1) / inner)
    spread = np.pad(spread, (0, steps * inner + 1 - len(spread)))
    trapezoids = fine * 0.5 * (spread[1:] + spread[:-1])
    return spread[inner::inner].copy(), trapezoids.reshape(steps, inner).sum(axis=1), scale
