"""Uniform storm: one intensity from the start to the end."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.arrays import Floats
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import increments_by_shares
from tarnwater.rain.patterns.pattern import Pattern


class Uniform(Pattern):
    """The mean intensity of the duration throughout, as the rational method takes it."""

    method: Literal["uniform"] = "uniform"

    title: ClassVar[str] = "uniform"
    equation: ClassVar[str] = "ΔP_k = P Δt / D"
    source: ClassVar[str] = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 14.4"
    verified: ClassVar[str] = "equal depths in equal steps; the total at any step and duration"
    nested: ClassVar[bool] = False
    is_even: ClassVar[bool] = True

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        return increments_by_shares(lambda t: t, float(curve.depth(duration)), duration, step)
