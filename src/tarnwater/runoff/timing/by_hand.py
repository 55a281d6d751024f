"""Typed lag or time of concentration."""

from __future__ import annotations

from typing import ClassVar, Literal

from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Timing


class ByHand(Timing):
    """Nothing is derived: the lag or the time of concentration is typed."""

    method: Literal["typed"] = "typed"

    leads: ClassVar[Literal["lag", "concentration", ""]] = ""
    by_case: ClassVar[bool] = True
    title: ClassVar[str] = "typed lag or time of concentration"
    equation: ClassVar[str] = "lag = 0.6 Tc where only Tc is typed"
    source: ClassVar[str] = "NRCS National Engineering Handbook, Part 630, Chapter 15"
    verified: ClassVar[str] = "lag and Tc typed one at a time and together"

    def derive(self, measures: Measures) -> DerivedTime | None:
        """Derive nothing."""
        return None
