"""The synthetic unit hydrograph of Snyder (1938) with widths of the Corps of Engineers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.runoff.transforms.finite import FiniteTransform
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph, at_step, inner_steps

SOURCE = (
    "Snyder (1938); Chow, Maidment and Mays (1988), Applied Hydrology, Section 7.7; US Army Corps of Engineers (1959)"
)

#: Standard duration as a share of the lag, and the longest inner step in units of the lag.
STANDARD, INNER_SHARE = 1 / 5.5, 0.1


@dataclass(frozen=True)
class SevenPoints:
    """The unit hydrograph of a duration: times s and flows m3/s per mm of its points, and what was done to them.

    ``shifted`` s is how much later it was drawn because it would have begun before the rain; ``surplus`` the volume
    between the first and the last width over the unit volume, where that alone is more.
    """

    times: Floats
    flows: Floats
    lag: float
    peak: float
    shifted: float
    surplus: float


def seven_points(coefficient: float, area: float, lag: float, duration: float) -> SevenPoints:
    """Points of the unit hydrograph of rain of a duration (s) on an area (m2) with a standard lag (s).

    The lag of another duration is tp + (D' − D) / 4. Widths are W50 = 2.14 (qp/A)^−1.08 and W75 = 1.22 (qp/A)^−1.08 h,
    a third of each before the peak, qp in m3/s per cm and A in km2. It rises from the start of the rain, straight from
    point to point, and ends where it holds one unit of water.
    """
    own_lag = lag + (duration - STANDARD * lag) / 4
    square = area / 1e6
    peak = 2.75 * coefficient * square / (own_lag / 3600)
    narrow = (peak / square) ** -1.08 * 3600
    half, quarter = 2.14 * narrow, 1.22 * narrow
    top = duration / 2 + own_lag
    times = np.array([0.0, top - half / 3, top - quarter / 3, top, top + 2 * quarter / 3, top + 2 * half / 3])
    shifted = max(0.0, -times[1])
    times[1:] += shifted
    flows = np.array([0.0, 0.5, 0.75, 1.0, 0.75, 0.5]) * peak / 10
    held = float(np.sum(np.diff(times) * (flows[1:] + flows[:-1]) / 2))
    left = 0.001 * area - held
    # what is left falls in a triangle from half the peak
    end = times[-1] + max(2 * left / flows[-1], 0.05 * half)
    surplus = max(0.0, -left / (0.001 * area))
    return SevenPoints(np.append(times, end), np.append(flows, 0.0), own_lag, peak / 10, shifted, surplus)


class SnyderUnitHydrograph(FiniteTransform):
    """Seven points from the lag and a peaking coefficient, for the duration of the step or of its inner steps."""

    method: Literal["snyder-unit-hydrograph"] = "snyder-unit-hydrograph"
    coefficient: float = parameter(
        "factor", "peaking coefficient", label="peaking coefficient", symbol="Cp", above=0, most=2, usual=(0.4, 0.9),
        source=SOURCE, default=0.6,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"coefficient": "Cp"}
    title: ClassVar[str] = "Snyder unit hydrograph"
    equation: ClassVar[str] = (
        "qp = 2.75 Cp A / tpR, tpR = tp + (D′ − tp/5.5)/4, W50 = 2.14 (qp/A)^−1.08, W75 = 1.22 (qp/A)^−1.08"
    )
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "its seven points by hand; unit volume at every step; peaks at steps up to a tenth of the lag"
    )

    def points(self, area: float, lag: float, step: float) -> SevenPoints:
        """The points for a step (s), or for its inner steps where it is longer than a tenth of the lag."""
        return seven_points(self.coefficient, area, lag, step / inner_steps(step, INNER_SHARE * lag))

    def _make(self, area: float, lag: float, step: float) -> UnitHydrograph:
        inner = inner_steps(step, INNER_SHARE * lag)
        points = self.points(area, lag, step)

        def curve(times: Floats) -> Floats:
            return np.atleast_2d(np.interp(times, points.times, points.flows, right=0.0))

        found = at_step(curve, points.times[-1:], area, step, inner)
        told = "seven points"
        if points.shifted > 0:
            told += f", begun {points.shifted / 60:.3g} min later than the widths would have it"
        return UnitHydrograph(
            found.ordinates[0], found.volumes[0], step, inner, step / inner, float(points.times[3]), points.peak,
            float(found.scale[0]), told,
        )  # fmt: skip
