"""A triangular unit hydrograph."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.runoff.transforms.instantaneous import InstantaneousTransform

SOURCE = "NRCS National Engineering Handbook, Part 630, Chapter 16"


class TriangularUnitHydrograph(InstantaneousTransform):
    """Water fallen at once leaves in a triangle that peaks after the lag and ends after a multiple of it.

    Of its peak, the time to it and its base two are free, since it holds one unit of water: the lag gives the time to
    the peak, the typed ratio the base, and the peak follows.
    """

    method: Literal["triangular-unit-hydrograph"] = "triangular-unit-hydrograph"
    base_ratio: float = parameter(
        "factor", "base of the triangle over the time to its peak", label="base ratio", symbol="b", above=1, most=50,
        usual=(2, 6), source=SOURCE, default=8 / 3,
    )  # fmt: skip

    curve: ClassVar[str] = "triangle"
    title: ClassVar[str] = "triangular unit hydrograph"
    equation: ClassVar[str] = "u peaks at tL with 2 A / (b tL), and ends at b tL"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its area, peak and base; the S-curve in closed form; unit volume at every step"

    def left(self, times: Floats, lag: float) -> Floats:
        """S of times (s): t^2 / (b tL^2) while it rises, and one less what is still to come while it falls."""
        base = self.base_ratio * lag
        t = np.clip(times, 0.0, base)
        rising = t * t / (base * lag)
        falling = 1 - (base - t) ** 2 / (base * (base - lag))
        return np.where(t <= lag, rising, falling)

    def length(self, lag: float) -> float:
        """Its base, s."""
        return self.base_ratio * lag
