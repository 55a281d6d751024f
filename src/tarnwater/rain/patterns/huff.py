"""Huff patterns: storms by the quarter of their duration with most rain (Huff and Angel 1992)."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.patterns.mass_curve import increments_by_shares, tabled_curve
from tarnwater.rain.patterns.pattern import Pattern

Quartile = Literal["first", "second", "third", "fourth"]
QUARTILES: tuple[Quartile, ...] = ("first", "second", "third", "fourth")


def huff_curve(quartile: Quartile) -> tuple[Floats, Floats]:
    """Shares of the duration and of the depth, both 0 to 1, (entries,): the median curve at a point."""
    return tabled_curve("huff_quartiles.csv", "time_percent", quartile, 100.0)


class Huff(Pattern):
    """The median storm with most rain in one quarter of its duration, linear between the entries of its table."""

    method: Literal["huff"] = "huff"
    quartile: Quartile = "second"

    title: ClassVar[str] = "Huff"
    equation: ClassVar[str] = "ΔP_k = P [m(t_k / D) − m((t_k − Δt) / D)], m the tabled share"
    source: ClassVar[str] = "Huff and Angel (1992), Illinois State Water Survey Bulletin 71"
    verified: ClassVar[str] = "the tabled shares at every twentieth of the time; the total at any step and duration"
    nested: ClassVar[bool] = False

    @classmethod
    def variants(cls) -> tuple[tuple[str, str, Huff], ...]:
        """One pattern for each quartile."""
        return tuple((f"huff-{n}", f"Huff, {q} quartile", cls(quartile=q)) for n, q in enumerate(QUARTILES, start=1))

    def increments(self, curve: DepthCurve, duration: float, step: float) -> Floats:
        """Depth (steps,) in mm of each step (s) of a storm of a duration (s)."""
        times, shares = huff_curve(self.quartile)
        return increments_by_shares(lambda t: np.interp(t, times, shares), float(curve.depth(duration)), duration, step)
