"""NRCS 24-hour patterns."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.parameters import Model
from tarnwater.rain.depth_table import DepthCurve
from tarnwater.rain.patterns.mass_curve import increments_by_shares, tabled_curve

DAY = 86400.0

#: Below this step (s) the coarse tables of types I, IA and III are too coarse.
FINEST_COARSE_STEP = 900.0

PatternType = Literal["I", "IA", "II", "III"]


def cumulative_pattern(pattern_type: PatternType) -> tuple[np.ndarray, np.ndarray]:
    """Share of the time and of the depth, both 0 to 1; type II by its fine table."""
    name = "storm_pattern_type_ii_fine.csv" if pattern_type == "II" else "storm_patterns_24h.csv"
    return tabled_curve(name, "hour", f"type_{pattern_type.lower()}", 24.0)


class TwentyFourHour(Model):
    """One of the NRCS types, straight between the entries of its table."""

    method: Literal["twenty-four-hour"] = "twenty-four-hour"
    type: PatternType = "II"

    title: ClassVar[str] = "NRCS 24-hour pattern"
    equation: ClassVar[str] = "ΔP_k = P [m(t_k) − m(t_k − Δt)], m the tabled share"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630"
    verified: ClassVar[str] = "the tabled shares; the total at any step and duration"

    nested: ClassVar[bool] = True

    def increments(self, curve: DepthCurve, duration: float, step: float) -> np.ndarray:
        """Depth (steps,) in mm of each step (s) of a storm, the pattern stretched to its duration (s)."""
        times, shares = cumulative_pattern(self.type)
        return increments_by_shares(lambda t: np.interp(t, times, shares), float(curve.depth(duration)), duration, step)
