"""NRCS 24-hour patterns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Cure, Doubtful
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import increments_by_shares, tabled_curve
from tarnwater.rain.patterns.pattern import Pattern
from tarnwater.units import show_duration

DAY = 86400.0

#: Below this step (s) the coarse tables of types I, IA and III are too coarse.
FINEST_COARSE_STEP = 900.0

PatternType = Literal["I", "IA", "II", "III"]
TYPES: tuple[PatternType, ...] = ("I", "IA", "II", "III")


def cumulative_pattern(pattern_type: PatternType) -> tuple[Floats, Floats]:
    """Shares of the duration and of the depth, both 0 to 1; type II by its fine table."""
    name = "storm_pattern_type_ii_fine.csv" if pattern_type == "II" else "storm_patterns_24h.csv"
    return tabled_curve(name, "hour", f"type_{pattern_type.lower()}", 24.0)


class TwentyFourHour(Pattern):
    """One of the NRCS types, linear between the entries of its table."""

    method: Literal["twenty-four-hour"] = "twenty-four-hour"
    type: PatternType = "II"

    title: ClassVar[str] = "NRCS 24-hour pattern"
    equation: ClassVar[str] = "ΔP_k = P [m(t_k) − m(t_k − Δt)], m the tabled share"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630"
    verified: ClassVar[str] = "the tabled shares; the total at any step and duration"

    nested: ClassVar[bool] = True

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, TwentyFourHour], ...]:
        """One for each type."""
        return tuple((f"type-{t}", f"NRCS 24-hour, type {t} (nested)", cls(type=t)) for t in TYPES)

    def doubts(self, durations: Sequence[float], steps: Sequence[float]) -> list[Doubtful]:
        """Doubts: a duration other than a day, and a coarse table at a fine step."""
        found = []
        others = [show_duration(d) for d in durations if d != DAY]
        if others:
            told = f"a 24-hour pattern on {', '.join(others)}."
            found.append(
                Doubtful("pattern-on-other-duration", "doubt", told, (Cure("Keep 24 h, or take another pattern."),))
            )
        fine = [show_duration(step) for step in steps if step < FINEST_COARSE_STEP]
        if self.type != "II" and fine:
            told = f"type {self.type} is too coarse for a step of {' and '.join(fine)}."
            found.append(
                Doubtful("pattern-coarse", "doubt", told, (Cure("Take a step of 15 min, or another pattern."),))
            )
        return found

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm, the pattern stretched to its duration (s)."""
        times, shares = cumulative_pattern(self.type)
        return increments_by_shares(lambda t: np.interp(t, times, shares), float(curve.depth(duration)), duration, step)
