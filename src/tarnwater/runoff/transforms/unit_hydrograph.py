"""A unit hydrograph at the step of a run."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.units import System


@dataclass(frozen=True, eq=False)
class UnitHydrograph:
    """Flow from 1 mm of excess that falls evenly in one step.

    Parameters
    ----------
    ordinates : (length,) m3/s per mm at the ends of the steps, the first at the end of the step of the rain.
    volumes : (length,) m3 per mm that leave in each step; together 1 mm over the catchment.
    step : s.
    inner : inner steps in one step, 1 where the step is fine enough.
    duration : duration of the curve, s.
    time_to_peak, peak : time to peak and peak of the curve before scaling, s and m3/s per mm.
    scale : factor that gives the ordinates unit volume.
    curve : name of the curve.
    """

    ordinates: Floats
    volumes: Floats
    step: float
    inner: int
    duration: float
    time_to_peak: float
    peak: float
    scale: float
    curve: str

    @cached_property
    def uneven(self) -> Floats:
        """Difference between the volume of each step and the trapezoid of its ordinates, m3 per mm, (length + 1,)."""
        return uneven_of(self.ordinates, self.volumes, self.step)

    def in_words(self, system: System) -> str:
        """Number of ordinates, the highest of them with its time, and the curve it was read from."""
        top = int(np.argmax(self.ordinates))
        when = units.show_duration(round((top + 1) * self.step))
        depth = "mm" if system == "SI" else "in"
        peak = units.show(float(self.ordinates[top]) * units.factor_of(depth, "rain"), "flow", system)
        return f"{len(self.ordinates)} ordinates, the highest {peak} per {depth} at {when} ({self.curve})"


def uneven_of(ordinates: Floats, volumes: Floats, step: float) -> Floats:
    """Difference between the volume of each step and the trapezoid of the ordinates; one value more than ordinates."""
    aside = [(0, 0)] * (ordinates.ndim - 1)
    ends = np.pad(ordinates, [*aside, (1, 1)])
    return np.pad(volumes, [*aside, (0, 1)]) - 0.5 * step * (ends[..., 1:] + ends[..., :-1])


def inner_steps(step: float, longest: float) -> int:
    """Number of equal parts of a step of which none is longer than ``longest``, in the unit of the step."""
    return max(1, math.ceil(step / longest - 1e-9))


@dataclass(frozen=True, eq=False)
class UnitHydrographs:
    """Unit hydrographs of one area with several lags: ``ordinates`` (case, length), zero after the end of each.

    ``uneven`` (case, length + 1) is as that of a `UnitHydrograph`, None where every step is fine enough.
    """

    ordinates: Floats
    step: float
    uneven: Floats | None

    @classmethod
    def of(cls, each: Sequence[UnitHydrograph]) -> UnitHydrographs:
        """Unit hydrographs of one step put together."""
        longest = max(len(one.ordinates) for one in each)
        ordinates, uneven = np.zeros((len(each), longest)), np.zeros((len(each), longest + 1))
        for row, one in enumerate(each):
            ordinates[row, : len(one.ordinates)] = one.ordinates
            if one.inner > 1:
                uneven[row, : len(one.uneven)] = one.uneven
        return cls(ordinates, each[0].step, uneven if any(one.inner > 1 for one in each) else None)


@dataclass(frozen=True, eq=False)
class AtStep:
    """Curves read at a step: ordinates and volumes (case, length), and the scale factors (case,)."""

    ordinates: Floats
    volumes: Floats
    scale: Floats


def at_step(curve: Callable[[Floats], Floats], base: Floats, area: float, step: float, inner: int) -> AtStep:
    """Read curves at inner steps, scale them to unit volume, and gather them to the step.

    Parameters
    ----------
    curve : flows (case, ordinate) m3/s per mm of rain in one inner step, as a function of times (ordinate,) s;
        zero after the base.
    base : (case,) s after which each is zero.
    area : m2.

    Rain is even within the step, so the response to a step's rain is the mean of ``inner`` shifted responses.
    Sums go from the first ordinate to the last, so that a curve gives the same numbers whatever the others are.
    """
    fine = step / inner
    counts = np.maximum(1, np.ceil(base / fine - 1e-9).astype(np.int64))
    flow = curve(np.arange(counts.max() + 1) * fine)
    last = np.take_along_axis(flow, counts[:, None], axis=1)[:, 0]
    scale = 0.001 * area / (fine * (flow.cumsum(axis=1)[:, -1] - 0.5 * (flow[:, 0] + last)))
    flow = flow * scale[:, None]
    if inner == 1:
        # no averaging is needed: the step is fine enough
        return AtStep(flow[:, 1:].copy(), fine * 0.5 * (flow[:, 1:] + flow[:, :-1]), scale)
    steps = math.ceil((flow.shape[1] + inner - 2) / inner)
    spread = np.zeros((len(flow), steps * inner + 1))
    for late in range(inner):
        spread[:, late : late + flow.shape[1]] += flow
    spread /= inner
    trapezoids = fine * 0.5 * (spread[:, 1:] + spread[:, :-1])
    volumes = trapezoids.reshape(len(flow), steps, inner).sum(axis=2)
    return AtStep(spread[:, inner::inner].copy(), volumes, scale)
