"""A typed pattern: the share of the depth that has fallen by shares of the time."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.methods import Cure, Doubtful
from tarnwater.parameters import Model, Name, parameter
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import increments_by_shares
from tarnwater.rain.patterns.pattern import Pattern
from tarnwater.units import show_duration

#: Share by which the ends of a curve may miss 0 and 1.
ROUNDING = 1e-6


class MassCurve(Model):
    """Shares of the depth that have fallen by shares of the time, both from 0 to 1."""

    name: Name = "Typed pattern"
    times: tuple[float, ...]
    shares: tuple[float, ...]
    source: str = ""

    @model_validator(mode="after")
    def _whole(self) -> MassCurve:
        if len(self.times) != len(self.shares) or len(self.times) < 2:
            raise ValueError("a pattern needs as many shares of the depth as of the time, and at least two")
        if any(b <= a for a, b in pairwise(self.times)):
            raise ValueError("the shares of the time must rise")
        if any(b < a for a, b in pairwise(self.shares)):
            raise ValueError("the shares of the depth must not fall")
        for row, what in ((self.times, "time"), (self.shares, "depth")):
            if abs(row[0]) > ROUNDING or abs(row[-1] - 1) > ROUNDING:
                raise ValueError(f"the shares of the {what} must begin at 0 and end at 1")
        return self

    def fallen(self, time: Floats) -> Floats:
        """Share of the depth that has fallen by shares of the time, linear between its entries."""
        return np.asarray(np.interp(time, self.times, self.shares))


class TypedCurve(Pattern):
    """A curve typed, pasted or imported; ``meant_for`` is the duration it belongs to, if it belongs to one."""

    method: Literal["typed"] = "typed"
    curve: MassCurve
    meant_for: float | None = parameter(
        "time", "duration that it is meant for", least=1, most=366 * 86400, default=None
    )

    title: ClassVar[str] = "typed"
    equation: ClassVar[str] = "ΔP_k = P [m(t_k / D) − m((t_k − Δt) / D)], m the typed share"
    source: ClassVar[str] = "as typed"
    verified: ClassVar[str] = "the typed shares at their times; the total at any step and duration"
    nested: ClassVar[bool] = False

    def doubts(self, durations: Sequence[float], steps: Sequence[float]) -> list[Doubtful]:
        """A doubt where it is stretched to another duration than its own."""
        others = [show_duration(d) for d in durations if self.meant_for is not None and d != self.meant_for]
        if not others:
            return []
        told = f"“{self.curve.name}”, a pattern of {show_duration(self.meant_for or 0)}, on {', '.join(others)}."
        return [
            Doubtful("pattern-on-other-duration", "doubt", told, (Cure("Keep its duration, or take another pattern."),))
        ]

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        return increments_by_shares(self.curve.fallen, float(curve.depth(duration)), duration, step)
