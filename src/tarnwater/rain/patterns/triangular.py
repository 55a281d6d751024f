"""Triangular storm: intensity rises linearly to the peak and falls linearly to the end."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import increments_by_shares
from tarnwater.rain.patterns.pattern import PeakedPattern

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 14.4"


def triangular_share(time: Floats, peak_position: float) -> Floats:
    """Share of the depth that has fallen by shares of the duration, both 0 to 1, for a peak at a share of the duration.

    t^2 / r up to the peak, 1 - (1 - t)^2 / (1 - r) after it.
    """
    rising = time * time / peak_position if peak_position > 0 else np.zeros_like(time)
    falling = 1 - (1 - time) ** 2 / (1 - peak_position) if peak_position < 1 else np.ones_like(time)
    return np.where(time < peak_position, rising, falling)


class Triangular(PeakedPattern):
    """Intensity rises linearly from zero to twice the mean at the peak, and falls linearly to zero."""

    method: Literal["triangular"] = "triangular"
    peak_position: float = parameter(
        "share",
        "place of the peak in the storm",
        label="peak position",
        symbol="r",
        least=0,
        most=1,
        source=SOURCE,
        default=0.375,
    )

    title: ClassVar[str] = "triangular"
    equation: ClassVar[str] = "i = 2 P / D at the peak, straight from nothing and to nothing"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "its depths by quadrature of the triangle; the total at any step and duration"
    nested: ClassVar[bool] = False

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        position = self.peak_position
        return increments_by_shares(
            lambda t: triangular_share(t, position), float(curve.depth(duration)), duration, step
        )
